export * from './kinds.ts';
export * from './rules.ts';
export * from './silence.ts';
