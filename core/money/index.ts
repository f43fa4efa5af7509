export * from './amount.ts';
export * from './rates.ts';
