export * from './evaluate.ts';
export * from './sentence.ts';
export * from './timing.ts';
export * from './request.ts';
export * from './dryRun.ts';
