export * from './settle.ts';
