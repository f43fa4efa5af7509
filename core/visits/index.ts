export * from './columns.ts';
export * from './row.ts';
export * from './conditions.ts';
export * from './visitTokens.ts';
