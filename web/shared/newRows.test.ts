import { expect, it } from '@jest/globals';
import { networkInput } from '@tracheon/core/contract';
import { newRow, withoutBlankRows } from './newRows.ts';

const network = {
  ...networkInput.parse({ name: 'Larkspur CPA', fields: {} }),
  statusWords: [
    newRow.statusWord(),
    { word: 'ok', means: 'approved' },
    { ...newRow.statusWord(), word: 'x' },
  ],
};

it('leaves out rows that nothing was typed into, and says what is wrong at its own row', () => {
  const { value, pathOf } = withoutBlankRows('network', network);
  expect(value.statusWords.map((w) => w.word)).toEqual(['ok', 'x']);
  const [issue] = networkInput.safeParse(value).error!.issues;
  expect(issue!.message).toBe('Choose what this word means.');
  expect(pathOf(issue!.path.join('.'))).toBe('statusWords.2.means');
  expect(pathOf('name')).toBe('name');
  expect(pathOf('statusWords')).toBe('statusWords');
});

it('every new row of a list is a blank one of that list', () => {
  const lists = {
    network: {
      statusWords: [newRow.statusWord()],
      eventWords: [newRow.eventWord()],
      extras: [newRow.extra()],
    },
    source: { parameters: [newRow.parameter()], accounts: [newRow.account()] },
    offer: { payouts: [newRow.payout()] },
  } as const;
  for (const [kind, body] of Object.entries(lists))
    for (const rows of Object.values(withoutBlankRows(kind as keyof typeof lists, body).value))
      expect([kind, rows]).toEqual([kind, []]);
});
