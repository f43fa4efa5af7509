export * from './relations.ts';
export * from './portable.ts';
export * from './sourceSubs.ts';
