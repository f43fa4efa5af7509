export * from './relations.ts';
export * from './portable.ts';
