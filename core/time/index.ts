export * from './localDay.ts';
export * from './periods.ts';
