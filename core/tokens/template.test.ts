import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { describe, expect, it } from '@jest/globals';
import { StdUriTemplate } from '@std-uritemplate/std-uritemplate';
import fc from 'fast-check';
import { compileTemplate, expandTemplate, type TokenValue } from './template.ts';

type Suite = Record<
  string,
  { variables: Record<string, TokenValue>; testcases: [string, string | string[]][] }
>;
const folder = join(
  dirname(createRequire(import.meta.url).resolve('uri-templates')),
  'test/uritemplate-test',
);
const suite = (name: string): Suite => JSON.parse(readFileSync(join(folder, name), 'utf8')) as Suite;
const own = (variables: Record<string, TokenValue>) => (name: string) =>
  Object.hasOwn(variables, name) ? variables[name] : undefined;
const expand = (template: string, variables: Record<string, TokenValue>): string =>
  expandTemplate(compileTemplate(template), own(variables));

describe('RFC 6570, the official cases', () => {
  const cases = ['spec-examples.json', 'spec-examples-by-section.json', 'extended-tests.json']
    .map(suite)
    .flatMap((s) =>
      Object.values(s).flatMap((g) => g.testcases.map((t) => [t[0], t[1], g.variables] as const)),
    )
    // Only strings, lists and maps of strings are token values here; the extended numbers are given as text.
    .filter(([, , variables]) => variables !== undefined);

  it('are really there', () => expect(cases.length).toBeGreaterThan(100));
  it.each(cases)('%s', (template, wanted, variables) => {
    expect(Array.isArray(wanted) ? wanted : [wanted]).toContain(expand(template, variables));
  });
});

describe('against a conforming library', () => {
  const operator = fc.constantFrom('', '+', '#', '.', '/', ';', '?', '&');
  const spec = fc
    .tuple(fc.constantFrom('a', 'b', 'list', 'map', 'none'), fc.constantFrom('', ':3', '*'))
    .filter(([n, m]) => m !== ':3' || !['list', 'map'].includes(n))
    .map(([n, m]) => n + m);
  const literal = fc.constantFrom('', 'x', '/p?q=', '&z=', '%20', '-');
  const template = fc
    .array(fc.tuple(literal, operator, fc.array(spec, { minLength: 1, maxLength: 3 })), {
      minLength: 1,
      maxLength: 4,
    })
    .map((parts) => parts.map(([l, o, s]) => `${l}{${o}${s.join(',')}}`).join(''));

  // Where the library departs from the RFC it is no reference: it leaves ' ( ) * bare in simple expansion (§3.2.2)
  // and < > " { } | bare in reserved expansion (§3.2.3), (% too), and it keeps lone surrogates. The official cases cover those.
  const value = fc.string({ unit: fc.constantFrom(...'abz09 -._~/?&=:@!,;é€𝒳') });

  it('expands generated templates alike', () => {
    let ran = 0;
    fc.assert(
      fc.property(template, value, value, (text, a, b) => {
        const values = { a, b, list: ['red', a], map: { k: `${b}x`, 'l m': 'ü' } };
        expect(expand(text, values)).toBe(StdUriTemplate.expand(text, values));
        ran += 1;
      }),
      { numRuns: 400 },
    );
    expect(ran).toBeGreaterThan(300);
  });
});

describe('beyond the standard', () => {
  it('keeps literals byte for byte, foreign macros and bad expressions included', () => {
    const text = 'https://o.example/?a=%2f%zz&m=[zone]&n={bad name}&k={click_id}&r={';
    expect(expand(text, { click_id: 'X' })).toBe('https://o.example/?a=%2f%zz&m=[zone]&n={bad name}&k=X&r={');
    expect(compileTemplate(text).problems.map((p) => p.text)).toEqual(['{bad name}', '{']);
  });
  it('doubles the encoding for a nested address', () => {
    expect(expand('?u={sub_title_enc}', { sub_title: 'a b' })).toBe('?u=a%2520b');
  });
  it('finds nothing on a prototype and survives lone surrogates', () => {
    expect(expand('x{constructor}{__proto__}', {})).toBe('x');
    expect(expand('{a}', { a: 'p\ud800q' })).toBe('p%EF%BF%BDq');
  });
});
