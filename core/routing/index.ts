export * from './routing.ts';
