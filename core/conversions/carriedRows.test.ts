import { describe, expect, it } from '@jest/globals';
import type { CarriedSettings } from '../contract/index.ts';
import { guessCarriedTargets, readCarriedRow, type CarriedGround } from './carriedRows.ts';

const ground: CarriedGround = {
  campaignOf: (text) => (text === 'Kites' || text === 'C1' ? { id: 'C1', sourceId: 'S1' } : undefined),
  offerOf: (text) => (text === 'Kite starter' ? 'O1' : undefined),
  now: Date.parse('2026-11-24T12:00:00Z'),
};
const settings: CarriedSettings = {
  targets: ['click_id', 'visit_time', 'campaign', 'offer', 'sub_site', 'country', ''],
  campaignId: '',
  zone: 'Europe/Brussels',
  dates: 'dmy',
};
const read = (cells: string[], more: Partial<CarriedSettings> = {}) =>
  readCarriedRow(cells, { ...settings, ...more }, ground);

describe('a row of carried click IDs', () => {
  it('keeps the case of the ID, reads the time in the file’s zone, and finds campaign and offer by name', () => {
    expect(read(['aB-7x', '20.11.2026 09:30', 'Kites', 'Kite starter', 'site-4', 'be', 'x'])).toEqual({
      ok: true,
      click: {
        foreignId: 'aB-7x',
        visitAt: Date.parse('2026-11-20T08:30:00Z'),
        campaignId: 'C1',
        sourceId: 'S1',
        offerId: 'O1',
        sourceClickId: '',
        country: 'BE',
        subs: { site: 'site-4' },
      },
    });
  });

  it('takes the one campaign that was chosen where the row names none', () => {
    expect(read(['a', '20.11.2026'], { campaignId: 'C1' })).toMatchObject({
      ok: true,
      click: { campaignId: 'C1', offerId: '' },
    });
  });

  it('says why a row can’t be carried over', () => {
    const why = (cells: string[]): string => {
      const found = read(cells);
      return found.ok ? '' : found.why;
    };
    expect(why(['', '20.11.2026', 'Kites'])).toBe('The click ID is missing.');
    expect(why(['a'.repeat(256), '20.11.2026', 'Kites'])).toContain('255 bytes');
    expect(why(['a', '31.02.2026', 'Kites'])).toContain('“31.02.2026”');
    expect(why(['a', '20.11.2031', 'Kites'])).toContain('visit time');
    expect(why(['a', '20.11.2026', ''])).toBe('The campaign is missing.');
    expect(why(['a', '20.11.2026', 'Boats'])).toContain('“Boats”');
    expect(why(['a', '20.11.2026', 'Kites', 'Boat'])).toContain('offer');
  });

  it('guesses what columns mean, each once', () => {
    expect(
      guessCarriedTargets(['Click ID', 'Time', 'Date', 'Campaign name', 'Site', 'GEO'], ['site', 'zone']),
    ).toEqual(['click_id', 'visit_time', '', 'campaign', 'sub_site', 'country']);
  });
});
