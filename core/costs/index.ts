export * from './entries.ts';
export * from './settle.ts';
export * from './costTerms.ts';
export * from './readFile.ts';
