/** What is wrong with the types of a folder that has a tsconfig.json, each with its place. */
export function checkTypes(folder: string): Promise<string[]>;
