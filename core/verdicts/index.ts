export * from './chanceOfProfit.ts';
export * from './verdict.ts';
