/**
 * Own figures: a formula over the known ones, such as `(earned - spent) / visits`. Numbers, names, + - × ÷ and parentheses,
 * nothing else. Amounts are in whole units of the currency. Units are checked, so that no sum adds visits to money.
 */
import { figureDefinitions, figureNames, type FigureDefinition, type FigureName } from './registry.ts';

/** `ratio`: of two alike. `number`: without a unit, as a typed number. */
export type FormulaUnit = 'money' | 'count' | 'ratio' | 'number';
type Op = '+' | '-' | '*' | '/';
export type Formula =
  | { kind: 'number'; value: number }
  | { kind: 'figure'; name: FigureName }
  | { kind: 'negative'; of: Formula }
  | { kind: 'pair'; op: Op; left: Formula; right: Formula };

export const MAX_FORMULA_LENGTH = 500;
const MAX_DEPTH = 40;
const MAX_NUMBER = 1e15;

/** `spentMicros` is `spent` in formulas, `earnedPerVisitMicros` is `earned_per_visit`. */
const nameInFormula = (name: FigureName): string =>
  name.replace(/Micros$/, '').replaceAll(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);
export const formulaNames: ReadonlyMap<string, FigureName> = new Map(
  figureNames.map((name) => [nameInFormula(name), name]),
);

export type ReadFormula = { ok: true; formula: Formula; unit: FormulaUnit } | { ok: false; message: string };

class Wrong extends Error {}

export function readFormula(text: string): ReadFormula {
  try {
    if (text.length > MAX_FORMULA_LENGTH)
      throw new Wrong(`The formula is longer than ${MAX_FORMULA_LENGTH} characters.`);
    if (text.trim() === '') throw new Wrong('Enter a formula, such as profit / visits.');
    const formula = new Reader(text).whole();
    return { ok: true, formula, unit: unitOf(formula) };
  } catch (error) {
    if (error instanceof Wrong) return { ok: false, message: error.message };
    throw error;
  }
}

type Token = { text: string; at: number };
const TOKEN = /\s*([a-z][a-z_]*|\d+(?:\.\d+)?|[-+*/()×÷−])/iy;
const same: Record<string, string> = { '×': '*', '÷': '/', '−': '-' };

function tokens(text: string): Token[] {
  const found: Token[] = [];
  for (let at = 0; at < text.trimEnd().length;) {
    TOKEN.lastIndex = at;
    const match = TOKEN.exec(text);
    if (!match)
      throw new Wrong(
        `“${text.slice(at).trim().slice(0, 20)}” can’t be read. Use figures, numbers, + - * / and ( ).`,
      );
    found.push({ text: same[match[1]!] ?? match[1]!.toLowerCase(), at });
    at = TOKEN.lastIndex;
  }
  return found;
}

class Reader {
  private readonly all: Token[];
  private at = 0;
  constructor(text: string) {
    this.all = tokens(text);
  }
  private get next(): string {
    return this.all[this.at]?.text ?? '';
  }
  whole(): Formula {
    const formula = this.sum(0);
    if (this.next !== '') throw new Wrong(`“${this.next}” comes where an operator is expected.`);
    return formula;
  }
  private sum(depth: number): Formula {
    let left = this.product(depth);
    while (this.next === '+' || this.next === '-') left = this.pair(left, () => this.product(depth));
    return left;
  }
  private product(depth: number): Formula {
    let left = this.value(depth);
    while (this.next === '*' || this.next === '/') left = this.pair(left, () => this.value(depth));
    return left;
  }
  private pair(left: Formula, right: () => Formula): Formula {
    const op = this.next as Op;
    this.at += 1;
    return { kind: 'pair', op, left, right: right() };
  }
  private value(depth: number): Formula {
    if (depth > MAX_DEPTH) throw new Wrong('The formula is nested too deeply.');
    const token = this.next;
    this.at += 1;
    if (token === '(') {
      const inner = this.sum(depth + 1);
      if (this.next !== ')') throw new Wrong('A parenthesis is not closed.');
      this.at += 1;
      return inner;
    }
    if (token === '-') return { kind: 'negative', of: this.value(depth + 1) };
    if (/^\d/.test(token)) {
      if (Number(token) > MAX_NUMBER) throw new Wrong(`${token.slice(0, 20)} … is too large.`);
      return { kind: 'number', value: Number(token) };
    }
    const name = formulaNames.get(token);
    if (name !== undefined) return { kind: 'figure', name };
    if (token === '') throw new Wrong('The formula ends too early.');
    if (!/^[a-z]/.test(token)) throw new Wrong(`“${token}” comes where a figure or a number is expected.`);
    const near = nearest(token);
    throw new Wrong(`There is no figure “${token.slice(0, 40)}”.${near ? ` Did you mean ${near}?` : ''}`);
  }
}

const MAX_DISTANCE = 3;
function nearest(name: string): string {
  const [best] = [...formulaNames.keys()]
    .map((known) => ({ known, far: distance(name.slice(0, 40), known) }))
    .sort((a, b) => a.far - b.far);
  return best && best.far <= MAX_DISTANCE ? best.known : '';
}
/** Levenshtein's, row by row. */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const above = row;
    row = [i];
    for (let j = 1; j <= b.length; j++)
      row[j] = Math.min(above[j]! + 1, row[j - 1]! + 1, above[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1));
  }
  return row[b.length]!;
}

export function figureUnit(name: FigureName): FormulaUnit {
  const { unit }: FigureDefinition = figureDefinitions[name];
  if (unit === 'count') return 'count';
  return unit === 'money' || unit === 'each' ? 'money' : 'ratio';
}

const isPlain = (unit: FormulaUnit): boolean => unit === 'number' || unit === 'ratio';
const words: Record<FormulaUnit, string> = {
  money: 'an amount',
  count: 'a count',
  ratio: 'a ratio',
  number: 'a number',
};

function unitOf(formula: Formula): FormulaUnit {
  switch (formula.kind) {
    case 'number':
      return 'number';
    case 'figure':
      return figureUnit(formula.name);
    case 'negative':
      return unitOf(formula.of);
    case 'pair':
      return unitOfPair(formula.op, unitOf(formula.left), unitOf(formula.right));
  }
}

function unitOfPair(op: Op, left: FormulaUnit, right: FormulaUnit): FormulaUnit {
  if (op === '+' || op === '-') {
    if (left === right || right === 'number') return left;
    if (left === 'number') return right;
    throw new Wrong(
      `${op === '+' ? 'Adding' : 'Subtracting'} ${words[left]} and ${words[right]} gives nothing that can be named.`,
    );
  }
  if (op === '*') {
    if (isPlain(right)) return left === 'number' ? right : left;
    if (isPlain(left)) return right;
    if (left !== right) return 'money';
    throw new Wrong(
      `${words[left][0]!.toUpperCase()}${words[left].slice(1)} times ${words[right]} gives nothing that can be named.`,
    );
  }
  if (isPlain(right)) return left === 'number' ? right : left;
  if (left === right) return 'ratio';
  return left === 'money' ? 'money' : 'number';
}

/** `valueOf` gives amounts in whole units; null where one of the figures is empty, or something is divided by zero. */
export function evaluateFormula(
  formula: Formula,
  valueOf: (name: FigureName) => number | null,
): number | null {
  switch (formula.kind) {
    case 'number':
      return formula.value;
    case 'figure':
      return valueOf(formula.name);
    case 'negative': {
      const of = evaluateFormula(formula.of, valueOf);
      return of === null ? null : -of;
    }
    case 'pair': {
      const left = evaluateFormula(formula.left, valueOf);
      const right = evaluateFormula(formula.right, valueOf);
      if (left === null || right === null) return null;
      const result = calculate(formula.op, left, right);
      return Number.isFinite(result) ? result : null;
    }
  }
}
function calculate(op: Op, left: number, right: number): number {
  if (op === '+') return left + right;
  if (op === '-') return left - right;
  return op === '*' ? left * right : left / right;
}

/** The figures that it names. */
export function figuresIn(formula: Formula): FigureName[] {
  switch (formula.kind) {
    case 'number':
      return [];
    case 'figure':
      return [formula.name];
    case 'negative':
      return figuresIn(formula.of);
    case 'pair':
      return [...figuresIn(formula.left), ...figuresIn(formula.right)];
  }
}

/** The same as SQL; `sqlOf` gives amounts in whole units. */
export function formulaSql(formula: Formula, sqlOf: (name: FigureName) => string): string {
  switch (formula.kind) {
    case 'number':
      return `${formula.value}::DOUBLE`;
    case 'figure':
      return `(${sqlOf(formula.name)})`;
    case 'negative':
      return `(-${formulaSql(formula.of, sqlOf)})`;
    case 'pair': {
      const [left, right] = [formulaSql(formula.left, sqlOf), formulaSql(formula.right, sqlOf)];
      return formula.op === '/' ? `(${left} / nullif(${right}, 0))` : `(${left} ${formula.op} ${right})`;
    }
  }
}
