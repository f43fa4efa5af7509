export const chromiumArguments: string[];
