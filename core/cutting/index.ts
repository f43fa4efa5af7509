export * from './listText.ts';
export * from './keepAway.ts';
