export * from './compileWay.ts';
export * from './rehearseMany.ts';
