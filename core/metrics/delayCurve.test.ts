import { describe, expect, it } from '@jest/globals';
import { delayCurves } from './delayCurve.ts';

const row = (offerId: string, hours: number, count: number) => ({ offerId, networkId: 'net', hours, count });

describe('how late conversions come', () => {
  it('is told by the offer’s own conversions once there are thirty', () => {
    const curve = delayCurves([row('quick', 0, 20), row('quick', 5, 20), row('slow', 100, 60)])(
      'quick',
      'net',
    );
    expect([curve(0), curve(1), curve(5), curve(6), curve(1000)]).toEqual([0, 0.5, 0.5, 1, 1]);
  });
  it('is told by the network, then the desk, until then', () => {
    const rows = [row('few', 0, 3), row('many', 9, 57)];
    expect(delayCurves(rows)('few', 'net')(1)).toBeCloseTo(0.05);
    expect(delayCurves(rows)('new', 'another')(10)).toBeCloseTo(1);
  });
  it('is 80 % within a day while nothing is known, and never falls', () => {
    const curve = delayCurves([])('new', 'net');
    expect([curve(0), curve(24)]).toEqual([0, expect.closeTo(0.8)]);
    for (let h = 1; h < 200; h++) expect(curve(h)).toBeGreaterThanOrEqual(curve(h - 1));
  });
  it('counts what comes later than a week to the whole', () => {
    const curve = delayCurves([row('late', 1, 30), row('late', 900, 10)])('late', 'net');
    expect([curve(2), curve(168), curve(169)]).toEqual([0.75, 0.75, 1]);
  });
});
