export * from './amount.ts';
export * from './rates.ts';
export * from './rateFiles.ts';
