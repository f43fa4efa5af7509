export const chromiumArguments: string[];
export const chromiumPath: () => string | null;
