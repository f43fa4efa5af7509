export * from './primitives.ts';
export * from './errors.ts';
export * from './parts.ts';
export * from './accounts.ts';
export * from './signals.ts';
export * from './reports.ts';
export * from './health.ts';
export * from './api.ts';
