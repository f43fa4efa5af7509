export * from './readAnswer.ts';
export * from './readCosts.ts';
export * from './sets.ts';
export * from './registers.ts';
export * from './templates.ts';
