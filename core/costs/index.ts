export * from './entries.ts';
export * from './settle.ts';
export * from './terms.ts';
export * from './readFile.ts';
