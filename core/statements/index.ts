export * from './compare.ts';
export * from './askText.ts';
