import { describe, expect, it } from '@jest/globals';
import { decisionsOf } from './decisions.ts';
import type { Random } from './random.ts';
import { gapMs, orderDelayMs } from './traffic.ts';

const HOUR_MS = 3_600_000;
/** The same draws each time. */
function draws(): Random {
  let a = 7;
  return () => (a = (a * 16_807) % 2_147_483_647) / 2_147_483_647;
}
const flow = { perDay: 620, buys: 0.0088, country: 'BE', price: 0.056 };

describe('steady traffic', () => {
  it('brings the visits of a usual week, more by day than by night', () => {
    const random = draws();
    const monday = Date.UTC(2026, 10, 23);
    const hours = new Array<number>(24).fill(0);
    let visits = 0;
    for (let at = monday; at < monday + 7 * 24 * HOUR_MS; at += gapMs(flow, at, random)) {
      visits += 1;
      hours[new Date(at).getUTCHours()]! += 1;
    }
    expect(visits / 7 / flow.perDay).toBeGreaterThan(0.93);
    expect(visits / 7 / flow.perDay).toBeLessThan(1.07);
    expect(hours[18]!).toBeGreaterThan(4 * hours[3]!);
  });
  it('orders hours later, not in the same second', () => {
    const random = draws();
    const all = Array.from({ length: 4000 }, () => orderDelayMs(random));
    expect(Math.min(...all)).toBeGreaterThanOrEqual(40_000);
    const mean = all.reduce((sum, ms) => sum + ms, 0) / all.length;
    expect(mean / HOUR_MS).toBeGreaterThan(2.3);
    expect(mean / HOUR_MS).toBeLessThan(2.7);
  });
});

it('three of four orders are approved, after one to six days; few of those are taken back', () => {
  const random = draws();
  const lives = Array.from({ length: 4000 }, () => decisionsOf(0, random));
  const share = (state: string): number =>
    lives.filter((steps) => steps.some((s) => s.state === state)).length / lives.length;
  expect(share('approved')).toBeGreaterThan(0.73);
  expect(share('approved')).toBeLessThan(0.79);
  expect(share('approved') + share('rejected')).toBe(1);
  expect(share('reversed')).toBeLessThan(0.05);
  for (const [first, ...later] of lives) {
    expect(first!.at / HOUR_MS).toBeGreaterThanOrEqual(24);
    expect(first!.at / HOUR_MS).toBeLessThan(144);
    for (const s of later) expect([s.state, s.at > first!.at]).toEqual(['reversed', true]);
  }
});
