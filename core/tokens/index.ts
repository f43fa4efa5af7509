export * from './template.ts';
export * from './vocabulary.ts';
export * from './macros.ts';
