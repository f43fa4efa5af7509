import { expect, it } from '@jest/globals';
import fc from 'fast-check';
import { blankSheet } from '../contract/index.ts';
import {
  countryOf,
  defaultNameRules,
  freeName,
  nameByRule,
  nameRuleProblem,
  nameWords,
  productWords,
  sheetNames,
} from './index.ts';

const RULE = '{country} · {product} · {source}';

it('puts the words where the rule has them', () => {
  expect(nameByRule(RULE, { country: 'NL', product: 'Terrarium', source: 'Tidepool' })).toBe(
    'NL · Terrarium · Tidepool',
  );
  expect(
    nameByRule('[{network}] {product} ({country})', { network: 'Larkspur', product: 'Kites', country: 'DK' }),
  ).toBe('[Larkspur] Kites (DK)');
});

it('leaves no gap for a word that is not known', () => {
  expect(nameByRule(RULE, { product: 'Terrarium', source: 'Tidepool' })).toBe('Terrarium · Tidepool');
  expect(nameByRule(RULE, { country: 'NL', source: 'Tidepool' })).toBe('NL · Tidepool');
  expect(nameByRule(RULE, { country: 'NL', product: 'Terrarium' })).toBe('NL · Terrarium');
  expect(nameByRule(RULE, { source: 'Tidepool' })).toBe('Tidepool');
  expect(nameByRule(RULE, {})).toBe('');
});

it('never begins or ends with what joins two words, whichever of them are known', () => {
  const some = fc.record(Object.fromEntries(nameWords.map((w) => [w, fc.constantFrom('', 'Kite', 'a b')])));
  fc.assert(
    fc.property(fc.shuffledSubarray([...nameWords], { minLength: 1 }), some, (words, parts) => {
      const name = nameByRule(words.map((w) => `{${w}}`).join(' · '), parts);
      expect(name).toBe(
        words
          .map((w) => parts[w] ?? '')
          .filter(Boolean)
          .join(' · '),
      );
    }),
  );
});

it('says what is wrong with a rule', () => {
  expect(nameRuleProblem(RULE)).toBeNull();
  expect(nameRuleProblem('{land}')).toMatch(/\{land\} is not available/);
  expect(nameRuleProblem('{country')).toMatch(/Close the brace/);
  expect(nameRuleProblem('always the same')).toMatch(/at least one of/);
});

it('finds the smallest free number, without regard to case', () => {
  expect(freeName('Kites', [])).toBe('Kites');
  expect(freeName('Kites', ['kites', 'Kites 2'])).toBe('Kites 3');
  expect(freeName('Kites 2', ['Kites 2'])).toBe('Kites 3');
  expect(freeName('K'.repeat(120), ['K'.repeat(120)])).toHaveLength(120);
});

it('reads product and country out of a link, and nothing out of codes', () => {
  const known = new Set(['NL', 'BE', 'DK']);
  expect(productWords('https://go.larkspur.example/o/terrarium-box?pub=902')).toBe('Terrarium box');
  expect(productWords('https://go.larkspur.example/o/4471?offer=kite_kit&aff_ref={click_id}')).toBe(
    'Kite kit',
  );
  expect(productWords('https://go.larkspur.example/o/4471?pub=902&aff_ref=REPLACE')).toBe('');
  expect(productWords('https://go.larkspur.example/c/x7kq9?a=b')).toBe('');
  expect(countryOf('https://go.larkspur.example/nl/o/4471', known)).toBe('NL');
  expect(countryOf('https://go.larkspur.example/o/4471?geo=dk', known)).toBe('DK');
  expect(countryOf('https://go.larkspur.example/o/4471?geo=zz', known)).toBe('');
});
it('never suggests a name that another kind of part has', () => {
  const named = (link: string, product = ''): { offer: string; campaign: string } =>
    sheetNames(
      { ...blankSheet, link, product },
      {
        rules: defaultNameRules,
        network: { name: 'Larkspur CPA' },
        source: { name: 'Moorhen Push' },
        taken: { offers: [], campaigns: [], others: ['larkspur cpa', 'Moorhen Push'] },
      },
    );
  // Nothing says what is sold: the network's and the source's names are all that is left.
  expect(named('https://go.larkspur.example/o/4471?aff_ref={click_id}')).toEqual({ offer: '', campaign: '' });
  const { offer, campaign } = named('https://go.larkspur.example/o/4471?aff_ref={click_id}', 'Star map');
  expect([offer, campaign].every((name) => name.includes('Star map'))).toBe(true);
});
