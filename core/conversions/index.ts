export * from './signal.ts';
export * from './readTime.ts';
export * from './readWords.ts';
export * from './fold.ts';
export * from './reasons.ts';
export * from './explainPostback.ts';
export * from './payout.ts';
export * from './convertingOffer.ts';
