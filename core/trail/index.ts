export * from './hops.ts';
export * from './configured.ts';
export * from './seen.ts';
export * from './travelled.ts';
export * from './checklist.ts';
