import { expect, it } from '@jest/globals';
import { html } from '../page/html.ts';
import { asLists, postbackFor, statementCsv, templateFor, type Lead } from './leads.ts';

const lead: Lead = {
  id: 'LK-1',
  at: 1_700_000_000_000,
  offer: '4471',
  ref: 'A&B',
  amount: '18.00',
  event: 'order',
  state: 'reversed',
  calls: [],
  toCome: [],
};

it('fills its macros, encoded, and leaves the unknown as they are', () => {
  expect(postbackFor('http://t.test/in/k?c=#ref#&p=#amt#&s=#st#&z=#reff#', lead, 0)).toBe(
    'http://t.test/in/k?c=A%26B&p=18.00&s=back&z=#reff#',
  );
});

it('escapes what it shows', () => {
  expect(html`<b>${'<script>'}</b>${html`<i>x</i>`}`.text).toBe('<b>&#60;script&#62;</b><i>x</i>');
});

it('tells a state at its own URL, where it has one', () => {
  const manner = { postback: 'all', byState: { approved: 'ok', rejected: '' }, manner: 'well' as const };
  expect((['waiting', 'approved', 'rejected'] as const).map((s) => templateFor(manner, s))).toEqual([
    'all',
    'ok',
    'all',
  ]);
  expect(templateFor({ postback: '', manner: 'well' }, 'waiting')).toBe('');
});

it('sends several leads to one address as one JSON list, each with what its own call would say', () => {
  const urls = ['http://t.test/in/k?c=A%26B&s=ok', 'http://t.test/in/z?c=1', 'http://t.test/in/k?c=+2'];
  expect(asLists(urls)).toEqual([
    { url: 'http://t.test/in/k', body: '[{"c":"A&B","s":"ok"},{"c":" 2"}]' },
    { url: 'http://t.test/in/z', body: '[{"c":"1"}]' },
  ]);
});

it('states what is decided, in its own words', () => {
  const waiting = { ...lead, id: 'LK-2', state: 'waiting' as const };
  expect(statementCsv([lead, waiting]).split('\r\n')).toEqual([
    'Order;Sub-ID;Commission;Currency;State;Date',
    'LK-1;A&B;18.00;EUR;back;14.11.2023',
    '',
  ]);
});
