export * from './seeded.ts';
export * from './gamma.ts';
