import { expect, it } from '@jest/globals';
import { feedInput } from '../contract/index.ts';
import { feedTemplateSchema, fromTemplate, readTemplate, toTemplate } from './templates.ts';

const [search, click] = ['01J0000000000000000000000A', '01J0000000000000000000000B'];
const feed = feedInput.parse({
  name: 'Copperleaf, main',
  networkId: '01J0000000000000000000000N',
  url: 'https://api.copperleaf.example/report?day={day}',
  signIn: 'basic',
  user: 'mira',
  rowsAt: 'rows',
  slotAt: 'sub2',
  counters: [
    { amountAt: 'money.search', eventTypeId: search },
    { amountAt: 'money.click', eventTypeId: click },
  ],
  finals: 'age',
  fromDay: '2026-11-01',
  isOn: true,
});
const words = new Map([
  [search, 'search'],
  [click, 'search_click'],
]);
const template = toTemplate(feed, (id) => words.get(id) ?? '');

it('a template has the interface and nothing of the desk, and makes the same feed elsewhere', () => {
  const text = JSON.stringify(template);
  for (const own of [feed.networkId, search, click, 'mira', '2026-11-01']) expect(text).not.toContain(own);
  const read = readTemplate(text);
  expect(read).toEqual(template);
  const made = fromTemplate(template, (word) => (word === 'search' ? '01J0000000000000000000000Z' : ''));
  expect(made).toMatchObject({ url: feed.url, signIn: 'basic', slotAt: 'sub2', finals: 'age' });
  expect(made.counters).toEqual([
    { amountAt: 'money.search', eventTypeId: '01J0000000000000000000000Z' },
    { amountAt: 'money.click', eventTypeId: '' },
  ]);
  expect(made).not.toHaveProperty('isOn');
});

it.each([
  ['{', 'This file is not JSON.'],
  ['null', 'This file is not a feed template.'],
  ['{"kind":"something else"}', 'This file is not a feed template.'],
  [
    JSON.stringify({ ...template, url: 'https://a.example/' }),
    'This template can’t be read. url: Put {day} where the day goes.',
  ],
  [
    JSON.stringify({ ...template, slotAt: '' }),
    'This template can’t be read. slotAt: Choose the field with the click ID.',
  ],
])('what is no template is told: %s', (text, why) => expect(readTemplate(text)).toBe(why));

it('has a JSON Schema with every field', () => {
  const schema = feedTemplateSchema() as { properties: Record<string, unknown>; required: string[] };
  expect(Object.keys(schema.properties).sort()).toEqual(Object.keys(template).sort());
  expect(schema.required).toEqual(expect.arrayContaining(['kind', 'version', 'name', 'url']));
});
