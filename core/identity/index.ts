export * from './clickId.ts';
