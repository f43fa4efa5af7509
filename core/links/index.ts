export * from './query.ts';
export * from './compose.ts';
export * from './checks.ts';
