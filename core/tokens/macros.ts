/**
 * Foreign macros: the other side's placeholders, known by their shape. Used to draw chips, to find a macro
 * where ours belongs, and to tell an unsubstituted value from a real one.
 */
import { macroStyles, type MacroStyle } from '../contract/primitives.ts';

const NAME = '[A-Za-z][A-Za-z0-9_.:\\-]{0,63}';
/** Longest shape first, so that `{{x}}` is never read as `{x}` between braces. */
const patterns: [MacroStyle, string][] = (
  [
    ['*|x|*', `\\*\\|\\s*${NAME}\\s*\\|\\*`],
    ['{{x}}', `\\{\\{\\s*${NAME}\\s*\\}\\}`],
    ['[[x]]', `\\[\\[\\s*${NAME}\\s*\\]\\]`],
    ['%%x%%', `%%\\s*${NAME}\\s*%%`],
    ['##x##', `##\\s*${NAME}\\s*##`],
    ['@@x@@', `@@\\s*${NAME}\\s*@@`],
    ['__x__', `__(?!_)[A-Za-z0-9.:\\-]+(?:_[A-Za-z0-9.:\\-]+)*__`],
    ['${x}', `\\$\\{\\s*${NAME}\\s*\\}`],
    ['{x}', `\\{\\s*${NAME}\\s*\\}`],
    ['[x]', `\\[\\s*${NAME}\\s*\\]`],
    ['%x%', `%\\s*${NAME}\\s*%`],
    ['#x#', `#\\s*${NAME}\\s*#`],
    ['<x>', `<\\s*${NAME}\\s*>`],
    ['@x@', `@\\s*${NAME}\\s*@`],
  ] satisfies [MacroStyle, string][]
).sort((a, b) => b[0].length - a[0].length);
const anyMacro = new RegExp(patterns.map(([, p]) => `(${p})`).join('|'), 'g');

export interface FoundMacro {
  text: string;
  shape: MacroStyle;
  start: number;
  end: number;
}

/** All macros in a text, left to right. `%x%` is none where its first two letters are a valid percent-encoding. */
export function findMacros(text: string): FoundMacro[] {
  const found: FoundMacro[] = [];
  for (const match of text.matchAll(anyMacro)) {
    const shape = patterns[match.slice(1).findIndex((g) => g !== undefined)]![0];
    if (shape === '%x%' && /^%[0-9A-Fa-f]{2}/.test(match[0])) continue;
    found.push({ text: match[0], shape, start: match.index, end: match.index + match[0].length });
  }
  return found;
}

/** The name inside a macro, without its marks and white space. */
export function macroName({ text, shape }: Pick<FoundMacro, 'text' | 'shape'>): string {
  const [open = '', close = ''] = shape.split('x');
  return text.slice(open.length, text.length - close.length).trim();
}

/** A macro name written in a shape: `click` in `[x]` is `[click]`. */
export function inStyle(shape: MacroStyle, name: string): string {
  return shape.replace('x', () => name);
}

/** The shape of a text that is one macro and nothing else; null otherwise. */
export function styleOf(text: string): MacroStyle | null {
  const found = findMacros(text);
  return found.length === 1 && found[0]!.text === text ? found[0]!.shape : null;
}

/** What a user typed as a macro, completed to the declared shape when they gave the bare name. */
export function completeMacro(shape: MacroStyle, typed: string): string {
  const text = typed.trim();
  if (text === '' || findMacros(text).length > 0 || !/^[A-Za-z][A-Za-z0-9_.:-]*$/.test(text)) return text;
  return inStyle(shape, text);
}

export { macroStyles };
