import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { evaluateFormula, formulaNames, readFormula } from './formula.ts';
import type { FigureName } from './registry.ts';

const unit = (text: string): string => {
  const read = readFormula(text);
  return read.ok ? read.unit : read.message;
};
const value = (text: string, values: Partial<Record<FigureName, number>>): number | null => {
  const read = readFormula(text);
  if (!read.ok) throw new Error(read.message);
  return evaluateFormula(read.formula, (name) => values[name] ?? null);
};

describe('a formula', () => {
  it('names figures as they are called, and knows the unit of what comes out', () => {
    expect(formulaNames.get('earned_per_visit')).toBe('earnedPerVisitMicros');
    expect(unit('profit / visits')).toBe('money');
    expect(unit('bots / (visits + bots)')).toBe('ratio');
    expect(unit('spent − bot_cost')).toBe('money');
    expect(unit('paid_per_visit × visits')).toBe('money');
    expect(unit('2 * visits - 1')).toBe('count');
    expect(unit('1 - approval')).toBe('ratio');
    expect(unit('visits / spent')).toBe('number');
  });
  it.each([
    ['spent + visits', /amount and a count/],
    ['visits * visits', /count times a count/],
    ['spend / visits', /Did you mean spent\?/],
    ['wizard / visits', /no figure “wizard”/],
    ['spent /', /ends too early/],
    ['(spent', /not closed/],
    ['spent visits', /where an operator is expected/],
    ['spent ** 2', /“\*” comes where/],
    ['spent; drop table', /can’t be read/],
    ['', /Enter a formula/],
    ['1'.repeat(10_240), /longer than 500/],
    [`${'('.repeat(200)}1${')'.repeat(200)}`, /too deeply/],
  ])('%.40s is refused in a sentence', (text, message) => expect(unit(text)).toMatch(message));
  it('keeps the order of arithmetic, and is empty where something is', () => {
    const of = { spentMicros: 10, earnedMicros: 4, visits: 2 };
    expect(value('spent - earned - 2 * 0 - 1', of)).toBe(5);
    expect(value('-(spent - earned) / visits', of)).toBe(-3);
    expect(value('spent / (visits - 2)', of)).toBeNull();
    expect(value('roi * 2', of)).toBeNull();
  });
});

it('evaluates whatever arithmetic it reads as the language itself does', () => {
  const operand = fc.constantFrom('visits', '2', '0.5', 'bots', '(visits + 3)');
  fc.assert(
    fc.property(
      fc.array(fc.tuple(operand, fc.constantFrom('+', '-')), { minLength: 1, maxLength: 8 }),
      fc.integer({ min: 0, max: 50 }),
      fc.integer({ min: 1, max: 50 }),
      (parts, visits, bots) => {
        const text = `${parts.map(([of, op]) => `${of} ${op}`).join(' ')} 1`;
        const plain = text.replaceAll('visits', String(visits)).replaceAll('bots', String(bots));
        const expected = new Function(`return ${plain}`)() as number;
        expect(value(text, { visits, bots })).toBeCloseTo(expected, 9);
      },
    ),
  );
});
