export const SERVER_FLAGS: readonly string[];
