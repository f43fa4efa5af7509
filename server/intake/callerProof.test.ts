import { describe, expect, it } from '@jest/globals';
import { isProven, secretOf, signatureOf, splitKey } from './callerProof.ts';

const SERVER = 'only for tests, and longer than thirty-two';
const NOW = Date.parse('2026-11-25T12:00:00Z');
const call = { secret: '', signature: '', query: 'click_id=X&payout=1', body: '' };
const secret = secretOf(SERVER, 'abcdefghijkl');

it('has a secret of its own for each key, and splits the path at the first hyphen', () => {
  expect(secret).toMatch(/^[\w-]{24}$/);
  expect(secretOf(SERVER, 'abcdefghijkm')).not.toBe(secret);
  expect(splitKey('abc')).toEqual({ key: 'abc', secret: '' });
  expect(splitKey('abc-d-e')).toEqual({ key: 'abc', secret: 'd-e' });
});

describe('a call', () => {
  const proven = (proof: 'none' | 'secret' | 'signature', more: object, now = NOW) =>
    isProven(proof, SERVER, 'abcdefghijkl', { ...call, ...more }, now);
  const t = NOW / 1000;
  const signed = (at: number, query = call.query, body = '') => ({
    signature: `t=${at}, s=${signatureOf(secret, at, query, body)}`,
  });
  it('needs nothing, the secret, or a signature, as the network is set', () => {
    expect(proven('none', {})).toBe(true);
    expect([proven('secret', {}), proven('secret', { secret: 'x' }), proven('secret', { secret })]).toEqual([
      false,
      false,
      true,
    ]);
    expect([
      proven('signature', {}),
      proven('signature', { secret }),
      proven('signature', signed(t)),
    ]).toEqual([false, false, true]);
  });
  it('is signed as it stands, with query and body, and for five minutes', () => {
    expect(proven('signature', { ...signed(t), query: 'click_id=X&payout=100' })).toBe(false);
    expect(proven('signature', { ...signed(t, call.query, 'a=1'), body: 'a=1' })).toBe(true);
    expect(proven('signature', { ...signed(t, call.query, 'a=1'), body: 'a=2' })).toBe(false);
    expect(proven('signature', signed(t - 299))).toBe(true);
    for (const at of [t - 301, t + 301, 0]) expect(proven('signature', signed(at))).toBe(false);
    for (const signature of ['', 't=1', `t=${t}, s=`, `t=${t}, s=${'z'.repeat(64)}`, 'a'.repeat(15_000)])
      expect(proven('signature', { signature })).toBe(false);
  });
});
