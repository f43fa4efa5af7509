import { expect, it } from '@jest/globals';
import { html } from '../page/html.ts';
import { postbackFor, templateFor, type Lead } from './leads.ts';

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
