import { expect, it } from '@jest/globals';
import {
  unknownVisit,
  visitColumns,
  visitFields,
  writtenColumns,
  type StoredVisit,
} from '@tracheon/core/visits';
import fc from 'fast-check';
import { copyLine } from '../db/copyRows.ts';
import { visitLine } from './copyVisits.ts';

const text = fc.string({ unit: fc.constantFrom('a', '\\', '\t', '\n', '\r', 'é', '"', 'N', ' ') });
const values: Record<string, fc.Arbitrary<unknown>> = {
  text,
  int: fc.nat(),
  bool: fc.boolean(),
  time: fc.integer({ min: 0, max: 4_000_000_000_000 }),
  micros: fc.option(fc.bigInt(), { nil: null }),
  json: fc.dictionary(text, text),
};
const visit = fc.record(
  Object.fromEntries(visitFields.map((field) => [field, values[visitColumns[field].type]!])),
) as unknown as fc.Arbitrary<StoredVisit>;

it('is the line that the columns make one by one, whatever stands in them', () => {
  const slow = (v: StoredVisit): string =>
    copyLine(['2026-11-25', ...writtenColumns.map(([, , value]) => value(v))]);
  fc.assert(fc.property(visit, (v) => expect(visitLine(v, '2026-11-25')).toBe(slow(v))));
  expect(visitLine({ ...unknownVisit }, '2026-11-25')).toBe(slow({ ...unknownVisit }));
});
