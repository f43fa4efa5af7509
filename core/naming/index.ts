export * from './campaignName.ts';
export * from '../contract/nameRule.ts';
export * from './productWords.ts';
export * from './sheetNames.ts';
export * from './many.ts';
