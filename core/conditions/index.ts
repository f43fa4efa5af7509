export * from './visitor.ts';
export * from './compare.ts';
export * from './evaluate.ts';
export * from './compileCondition.ts';
export * from './troubles.ts';
export * from './rehearse.ts';
