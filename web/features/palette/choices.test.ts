import { expect, it } from '@jest/globals';
import {
  campaignInput,
  networkInput,
  sourceInput,
  type PartKind,
  type PartRecord,
} from '@tracheon/core/contract';
import { choicesOf, isFindable, matching } from './choices.ts';

const part = (kind: PartKind, id: string, body: unknown, state = 'live'): PartRecord =>
  ({ id, kind, key: `k${id}`, state, version: 1, body, createdAt: '', updatedAt: '' }) as PartRecord;
const parts = [
  part(
    'source',
    's',
    sourceInput.parse({
      name: 'Moorhen Push',
      parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
    }),
  ),
  part('campaign', 'c', campaignInput.parse({ name: 'BE · Stargazing', sourceId: 's', offerId: 'o' })),
  part(
    'campaign',
    'gone',
    campaignInput.parse({ name: 'Archived one', sourceId: 's', offerId: 'o' }),
    'archived',
  ),
  part(
    'network',
    'n',
    networkInput.parse({ name: 'Larkspur CPA', fields: { click_id: { macro: '#ref#' } } }),
  ),
];
const choices = (canEdit = true) => choicesOf({ parts, canEdit, trackingOrigin: 'https://go.kits.example' });

it('goes to a campaign, copies its link, tests it, shows its visits', () => {
  expect(matching(choices(), 'stargazing', 9)).toEqual([
    { words: 'BE · Stargazing', note: 'campaign', to: '/campaigns/c' },
    {
      words: 'Copy the link of BE · Stargazing',
      note: 'copy',
      copies: 'https://go.kits.example/v/kc?clk=[click]',
    },
    { words: 'Test BE · Stargazing', note: 'checklist', to: '/campaigns/c?test=1' },
    { words: 'Set up a campaign like BE · Stargazing', note: 'create', to: '/set-up?from=c' },
    { words: 'Visits of BE · Stargazing', note: 'list', to: '/campaigns/c/visits' },
  ]);
  expect(matching(choices(), 'copy larkspur', 9)[0]!.copies).toBe(
    'https://go.kits.example/in/kn?click_id=#ref#',
  );
});

it('offers what begins with the text first, nothing archived, and nothing to make to a viewer', () => {
  expect(matching(choices(), 'post', 3).map((c) => c.words)).toEqual([
    'Postbacks in',
    'Postbacks out',
    'Copy the postback URL of Larkspur CPA',
  ]);
  expect(matching(choices(), 'archived one', 9)).toEqual([]);
  expect(choices(false).some((c) => c.note === 'create')).toBe(false);
});

it('looks on the server for what may be an ID or a link, not for every word', () => {
  for (const text of ['01KAVB5T9C7QK2M8W3XJ4RZ6ND', 'LK-7F20', 'https://go.kits.example/v/abc', 'mh7f20c'])
    expect([text, isFindable(text)]).toEqual([text, true]);
  for (const text of ['', 'be', 'new off er']) expect([text, isFindable(text)]).toEqual([text, false]);
});
