/**
 * URI templates, RFC 6570, all four levels. A template is compiled once (load time) and expanded per visit with
 * no parsing left. Literals are kept byte for byte: an offer link with a foreign `%` or `[x]` in it must leave as
 * it came. `name_enc` gives the value of `name` percent-encoded once more, for a token inside a nested URL.
 *
 * Failure contract: compileTemplate never throws; what is no valid expression is reported in `problems` and kept
 * as literal text.
 */
import { percentEncode } from './percentEncode.ts';

export type TokenValue =
  | string
  | number
  | readonly string[]
  | Readonly<Record<string, string>>
  | null
  | undefined;
/** Look-ups go through a function, so `{constructor}` finds nothing on a prototype. */
export type TokenSource = (name: string) => TokenValue;

export interface VariableSpec {
  name: string;
  explode: boolean;
  /** Prefix length in code points (RFC 6570 §2.4.1), 0 for none. */
  prefix: number;
}
interface OperatorRule {
  first: string;
  separator: string;
  named: boolean;
  ifEmpty: string;
  reserved: boolean;
}
export interface Expression {
  operator: string;
  rule: OperatorRule;
  variables: VariableSpec[];
  /** Place in the template's text, for marking a finding. */
  start: number;
  end: number;
}
export interface CompiledTemplate {
  text: string;
  parts: readonly (string | Expression)[];
  problems: readonly { start: number; end: number; text: string }[];
  /** Names of all tokens used, each once. */
  names: readonly string[];
}

// RFC 6570 appendix A.
const rules: Record<string, OperatorRule> = {
  '': { first: '', separator: ',', named: false, ifEmpty: '', reserved: false },
  '+': { first: '', separator: ',', named: false, ifEmpty: '', reserved: true },
  '#': { first: '#', separator: ',', named: false, ifEmpty: '', reserved: true },
  '.': { first: '.', separator: '.', named: false, ifEmpty: '', reserved: false },
  '/': { first: '/', separator: '/', named: false, ifEmpty: '', reserved: false },
  ';': { first: ';', separator: ';', named: true, ifEmpty: '', reserved: false },
  '?': { first: '?', separator: '&', named: true, ifEmpty: '=', reserved: false },
  '&': { first: '&', separator: '&', named: true, ifEmpty: '=', reserved: false },
};
// §2.3: varname = varchar *( ["."] varchar ); §2.4: modifiers.
const VARIABLE =
  /^((?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2})(?:\.?(?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2}))*)(\*|:[1-9][0-9]{0,3})?$/;

export function compileTemplate(text: string): CompiledTemplate {
  const parts: (string | Expression)[] = [];
  const problems: { start: number; end: number; text: string }[] = [];
  let literal = '';
  let at = 0;
  while (at < text.length) {
    const open = text.indexOf('{', at);
    if (open < 0) break;
    const close = text.indexOf('}', open);
    const end = close < 0 ? text.length : close + 1;
    const expression = close < 0 ? null : parseExpression(text.slice(open + 1, close), open, end);
    literal += text.slice(at, open);
    problems.push(...strayBraces(text, at, open));
    if (expression === null) {
      problems.push({ start: open, end, text: text.slice(open, end) });
      literal += text.slice(open, end);
    } else {
      if (literal !== '') parts.push(literal);
      literal = '';
      parts.push(expression);
    }
    at = end;
  }
  literal += text.slice(at);
  problems.push(...strayBraces(text, at, text.length));
  if (literal !== '') parts.push(literal);
  const names = new Set(parts.flatMap((p) => (typeof p === 'string' ? [] : p.variables.map((v) => v.name))));
  return { text, parts, problems, names: [...names] };
}

/** A brace that closes nothing (§2.1: a literal has no braces). */
function strayBraces(text: string, from: number, to: number): CompiledTemplate['problems'] {
  const found: { start: number; end: number; text: string }[] = [];
  for (let at = text.indexOf('}', from); at >= 0 && at < to; at = text.indexOf('}', at + 1))
    found.push({ start: at, end: at + 1, text: '}' });
  return found;
}

function parseExpression(body: string, start: number, end: number): Expression | null {
  const operator = /^[+#./;?&]/.test(body) ? body[0]! : '';
  const variables: VariableSpec[] = [];
  for (const spec of body.slice(operator.length).split(',')) {
    const match = VARIABLE.exec(spec);
    if (match === null) return null;
    const modifier = match[2] ?? '';
    variables.push({
      name: match[1]!,
      explode: modifier === '*',
      prefix: modifier.startsWith(':') ? Number(modifier.slice(1)) : 0,
    });
  }
  return { operator, rule: rules[operator]!, variables, start, end };
}

/** Expands with the given values; undefined, null, empty lists and empty maps are left out (§2.3). */
export function expandTemplate(template: CompiledTemplate, source: TokenSource): string {
  let out = '';
  for (const part of template.parts) out += typeof part === 'string' ? part : expandExpression(part, source);
  return out;
}

function expandExpression({ rule, variables }: Expression, source: TokenSource): string {
  let out = '';
  let isFirst = true;
  for (const variable of variables) {
    const piece = expandVariable(variable, rule, valueOf(variable.name, source));
    if (piece === null) continue;
    out += (isFirst ? rule.first : rule.separator) + piece;
    isFirst = false;
  }
  return out;
}

function valueOf(name: string, source: TokenSource): TokenValue {
  const value = source(name);
  if (value !== undefined && value !== null) return value;
  if (!name.endsWith('_enc')) return value;
  const inner = source(name.slice(0, -4));
  return typeof inner === 'string' || typeof inner === 'number'
    ? percentEncode(String(inner), false)
    : undefined;
}

function isDefined(value: TokenValue): boolean {
  if (value === undefined || value === null) return false;
  if (typeof value === 'string' || typeof value === 'number') return true;
  return Array.isArray(value) ? value.length > 0 : Object.keys(value).length > 0;
}

function expandVariable(variable: VariableSpec, rule: OperatorRule, value: TokenValue): string | null {
  if (typeof value === 'string') return expandText(variable, rule, value);
  if (typeof value === 'number') return expandText(variable, rule, String(value));
  if (!isDefined(value)) return null;
  const enc = (s: string): string => percentEncode(s, rule.reserved);
  if (Array.isArray(value)) {
    if (!variable.explode) return named(variable, rule, value.map(enc).join(','));
    return value.map((v: string) => named(variable, rule, enc(v))).join(rule.separator);
  }
  const pairs = Object.entries(value as Record<string, string>);
  if (!variable.explode) return named(variable, rule, pairs.map(([k, v]) => `${enc(k)},${enc(v)}`).join(','));
  return pairs
    .map(([k, v]) => (rule.named && v === '' ? enc(k) + rule.ifEmpty : `${enc(k)}=${enc(v)}`))
    .join(rule.separator);
}

/** By far the most values are texts. */
function expandText(variable: VariableSpec, rule: OperatorRule, text: string): string {
  const { prefix } = variable;
  const cut = prefix === 0 || text.length <= prefix ? text : firstOf(text, prefix);
  return named(variable, rule, percentEncode(cut, rule.reserved));
}
function named({ name }: VariableSpec, rule: OperatorRule, encoded: string): string {
  if (!rule.named) return encoded;
  return encoded === '' ? name + rule.ifEmpty : `${name}=${encoded}`;
}

/** So many code points. */
function firstOf(text: string, count: number): string {
  let end = 0;
  for (let n = 0; n < count && end < text.length; n++) end += text.codePointAt(end)! > 0xffff ? 2 : 1;
  return text.slice(0, end);
}
