export * from './routing.ts';
export * from './words.ts';
export * from './routingDifferences.ts';
export * from './findings.ts';
export * from './choose.ts';
export * from './offerDays.ts';
export * from './decide.ts';
export * from './automatic.ts';
