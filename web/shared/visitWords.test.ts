import { expect, it } from '@jest/globals';
import type { VisitRow } from '@tracheon/core/contract';
import { visitMarks, visitNote } from './visitWords.ts';

const visit = (more: Partial<VisitRow>): VisitRow =>
  ({
    isBot: false,
    isRepeat: false,
    isTest: false,
    isUnique: false,
    fate: 'sent',
    notes: [],
    ...more,
  }) as VisitRow;

it('says unique or returning of people only', () => {
  expect(visitMarks(visit({ isUnique: true }))).toBe('unique');
  expect(visitMarks(visit({}))).toBe('returning');
  expect(visitMarks(visit({ isBot: true, isUnique: true }))).toBe('bot');
  expect(visitMarks(visit({ isUnique: true, fate: 'paused' }))).toBe('unique, paid while paused');
  expect(visitMarks(visit({ isRepeat: true, notes: ['unsubstituted:site'] }))).toBe(
    'repeat, macro not filled',
  );
});

it('puts notes into words, and leaves unknown ones as they are', () => {
  expect(visitNote('unsubstituted:site')).toBe('the macro of “site” arrived unfilled');
  expect(visitNote('something_new')).toBe('something_new');
});
