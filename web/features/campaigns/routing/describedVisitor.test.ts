import { expect, it } from '@jest/globals';
import { rehearse } from '@tracheon/core/conditions';
import type { Routing } from '@tracheon/core/contract';
import { fieldsAsked, visitorOf } from './describedVisitor.ts';

const NOW = Date.UTC(2026, 10, 26, 12);
const leaf = (on: string, op: 'is' | 'at_least', ...values: string[]) => ({ on, op, values, zone: '' });
const way = { split: 'weights' as const, pairings: [] };
const routing: Routing = {
  branches: [
    {
      ...way,
      id: 'b',
      name: 'b',
      when: {
        all: [
          leaf('sub_site', 'is', 'kiosk'),
          leaf('weekday', 'is', 'sun'),
          leaf('hour', 'is', '21'),
          leaf('cost_micros', 'at_least', '20000'),
          leaf('is_unique', 'is', 'no'),
          leaf('os_version', 'at_least', '17'),
          leaf('has_converted', 'is', 'yes'),
          leaf('seen_offer', 'is', 'O1', 'O2'),
        ],
      },
    },
  ],
  otherwise: way,
};

it('is asked for by the fields of the branches, and described is the visitor that they mean', () => {
  expect(fieldsAsked(routing)).toEqual([
    'sub_site',
    'weekday',
    'hour',
    'cost_micros',
    'is_unique',
    'os_version',
    'has_converted',
    'seen_offer',
  ]);
  const described = {
    sub_site: 'kiosk',
    weekday: 'sun',
    hour: '21',
    cost_micros: '0.02',
    is_unique: 'no',
    os_version: '17.4',
    has_converted: 'yes',
    seen_offer: 'O2',
  };
  const takes = (more: object): number =>
    rehearse(routing, visitorOf({ ...described, ...more }, NOW, 'Europe/Brussels', 'S'), 'Europe/Brussels')
      .number;
  expect(takes({})).toBe(1);
  for (const other of [
    { sub_site: 'blog' },
    { weekday: 'mon' },
    { hour: '9' },
    { cost_micros: '0.01' },
    { cost_micros: 'much' },
    { is_unique: 'yes' },
    { os_version: '' },
    { has_converted: '' },
    { seen_offer: '' },
    { seen_offer: 'O3' },
  ])
    expect([other, takes(other)]).toEqual([other, 0]);
});
