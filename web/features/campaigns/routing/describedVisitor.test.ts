import { expect, it } from '@jest/globals';
import { rehearse } from '@tracheon/core/conditions';
import type { Routing } from '@tracheon/core/contract';
import { fieldsAsked, visitorOf } from './describedVisitor.ts';

const NOW = Date.UTC(2026, 10, 26, 12);
const leaf = (on: string, op: 'is' | 'at_least', value: string) => ({ on, op, values: [value], zone: '' });
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
  ]);
  const described = {
    sub_site: 'kiosk',
    weekday: 'sun',
    hour: '21',
    cost_micros: '0.02',
    is_unique: 'no',
    os_version: '17.4',
  };
  const takes = (more: object): number =>
    rehearse(routing, visitorOf({ ...described, ...more }, NOW, 'Europe/Brussels'), 'Europe/Brussels').number;
  expect(takes({})).toBe(1);
  for (const other of [
    { sub_site: 'blog' },
    { weekday: 'mon' },
    { hour: '9' },
    { cost_micros: '0.01' },
    { cost_micros: 'much' },
    { is_unique: 'yes' },
    { os_version: '' },
  ])
    expect([other, takes(other)]).toEqual([other, 0]);
});
