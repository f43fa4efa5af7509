import { describe, expect, it } from '@jest/globals';
import { conversionTokens, isKnownToken, nearestToken, visitTokens } from './index.ts';

describe('a token', () => {
  it('of a visit is known in both places, one of a conversion only there', () => {
    expect(Object.keys(visitTokens).length).toBeGreaterThan(30);
    for (const name of Object.keys(visitTokens))
      expect([isKnownToken(name, 'visit'), isKnownToken(name, 'conversion')]).toEqual([true, true]);
    for (const name of Object.keys(conversionTokens))
      expect([name, isKnownToken(name, 'visit'), isKnownToken(name, 'conversion')]).toEqual([
        name,
        false,
        true,
      ]);
  });
  it.each([
    ['sub_site', true],
    ['sub_site_enc', true],
    ['click_id_enc', true],
    ['partner_sub_a', true],
    ['extra_brand', false],
    ['sub_', false],
    ['sub_Site', false],
    ['constructor', false],
    ['__proto__', false],
    ['clickid', false],
  ])('%s is known in a visit: %s', (name, known) => expect(isKnownToken(name, 'visit')).toBe(known));
  it('of an extra belongs to a conversion', () =>
    expect(isKnownToken('extra_brand', 'conversion')).toBe(true));
});

describe('a misspelt token', () => {
  it.each([
    ['clickid', 'click_id'],
    ['Click_ID', 'click_id'],
    ['sourcename', 'source_name'],
    ['contry', 'country'],
    ['zone', null],
    ['x', null],
  ])('%s: %s', (name, near) => expect(nearestToken(name, 'visit')).toBe(near));
});
