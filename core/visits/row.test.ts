import { describe, expect, it } from '@jest/globals';
import {
  decodeVisitRow,
  dimensionFields,
  encodeVisitRow,
  blankVisit,
  readVisitInto,
  unknownVisit,
  visitColumns,
  visitFields,
  writtenColumns,
  type StoredVisit,
} from './index.ts';

const visit: StoredVisit = {
  ...unknownVisit,
  deskId: 'D',
  id: 'V',
  atMs: Date.parse('2026-11-25T10:00:00Z'),
  costMicros: 1_500_000n,
  isBot: true,
  subs: { site: 'tuinpraat.example' },
  notes: ['no_cost'],
  fate: 'desk_fallback',
};

describe('the visit row', () => {
  it('has one column for each field, and no name twice', () => {
    const names = visitFields.map((field) => visitColumns[field].name);
    expect(new Set(names).size).toBe(names.length);
    expect(writtenColumns.map(([name]) => name)).toEqual(names);
  });
  it('comes back from the table as it was written', () => {
    // As the driver reads what was written.
    const read: Record<string, (text: string | null) => unknown> = {
      text: (t) => t,
      int: Number,
      bool: (t) => t === 't',
      timestamptz: (t) => new Date(t!),
      int8: (t) => t,
      jsonb: (t) => JSON.parse(t!) as unknown,
    };
    const row = Object.fromEntries(
      writtenColumns.map(([name, type, value]) => [name, read[type]!(value(visit))]),
    );
    expect(readVisitInto({ ...blankVisit }, row)).toEqual(visit);
  });
  it('comes back from the spool as it was written', () => {
    expect(decodeVisitRow(encodeVisitRow(visit))).toEqual(visit);
    const free = { ...visit, costMicros: null };
    expect(decodeVisitRow(encodeVisitRow(free))).toEqual(free);
  });
  it('of an older spool told its fate by its branch', () => {
    const old = (branch: string) => {
      const { fate, branchId, botReason, ...rest } = { ...visit, costMicros: '1' };
      void [fate, branchId, botReason];
      return decodeVisitRow(JSON.stringify({ ...rest, branch }));
    };
    expect(old('otherwise')).toMatchObject({ fate: 'sent', branchId: 'otherwise', botReason: '' });
    expect(old('fallback')).toMatchObject({ fate: 'offer_fallback', branchId: 'otherwise' });
    expect(old('paused')).toMatchObject({ fate: 'paused', costMicros: 1n });
    expect(old('paused')).not.toHaveProperty('branch');
  });
  it('has dimensions that conversions can carry: text alone', () => {
    expect(dimensionFields).toContain('referrerHost');
    for (const field of dimensionFields) expect([field, visitColumns[field].type]).toEqual([field, 'text']);
  });
});
