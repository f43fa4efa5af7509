export * from './figures.ts';
export * from './budget.ts';
