/** Why a file can't be read, in a sentence to show. */
export class FileProblem extends Error {}
