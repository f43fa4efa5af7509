export * from './delayCurve.ts';
export * from './registry.ts';
export * from './figures.ts';
export * from './budget.ts';
export * from './dimensions.ts';
export * from './groupings.ts';
export * from './wilson.ts';
export * from './verdictWords.ts';
