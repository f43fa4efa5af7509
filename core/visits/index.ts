export * from './columns.ts';
export * from './row.ts';
