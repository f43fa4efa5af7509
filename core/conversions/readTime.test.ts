import { describe, expect, it } from '@jest/globals';
import { readTime } from './readTime.ts';

const arrivedAt = Date.parse('2026-11-25T12:00:00Z');
const read = (value: string, zone = 'Europe/Brussels'): [string | null, string[]] => {
  const notes: string[] = [];
  const ms = readTime(value, 'changed_time', notes, { zone, arrivedAt });
  return [ms === null ? null : new Date(ms).toISOString(), notes];
};

describe('a time', () => {
  it.each([
    ['1795600000', '2026-11-25T09:46:40.000Z'],
    ['1795600000123', '2026-11-25T09:46:40.123Z'],
    ['2026-11-25T10:00:00Z', '2026-11-25T10:00:00.000Z'],
    ['2026-11-25T10:00:00.250Z', '2026-11-25T10:00:00.250Z'],
    ['2026-11-24T24:00:00.000Z', '2026-11-25T00:00:00.000Z'],
    ['2026-11-25 10:00:00+05:45', '2026-11-25T04:15:00.000Z'],
    ['2026-11-25T10:00:00+0100', '2026-11-25T09:00:00.000Z'],
    // Without an offset: the network's zone, in summer and in winter.
    ['2026-11-25T10:00', '2026-11-25T09:00:00.000Z'],
    ['2026-07-01+10:00:00', '2026-07-01T08:00:00.000Z'],
    ['2026-11-25', '2026-11-24T23:00:00.000Z'],
  ])('%s is %s', (value, iso) => expect(read(value)).toEqual([iso, []]));

  it('without an offset, of a network without a zone, is UTC and flagged', () => {
    expect(read('2026-11-25T10:00:00', '')).toEqual(['2026-11-25T10:00:00.000Z', ['no_zone:changed_time']]);
    expect(read('2026-11-25T10:00:00Z', '')[1]).toEqual([]);
    expect(read('1795600000', '')[1]).toEqual([]);
  });
  it.each([
    '2026-02-30T10:00:00Z',
    '2026-02-30T10:00:00.000Z',
    '2026-13-01',
    '25.11.2026',
    'soon',
    '12345',
    '1900-01-01T00:00:00Z',
  ])('%s is none: noted, not used', (value) =>
    expect(read(value)).toEqual([null, ['unreadable:changed_time']]),
  );
  it('more than a day ahead of its arrival is noted and not used; a day ahead is', () => {
    expect(read('2026-11-26T12:00:01Z')).toEqual([null, ['far_ahead:changed_time']]);
    expect(read('2026-11-26T12:00:00Z')[0]).toBe('2026-11-26T12:00:00.000Z');
  });
});
