/** Completion of tokens by name and by meaning: what stands before the caret, and what could stand there. */
import { conversionTokens, firstTokens, inStyle, visitTokens, type TokenPlace } from '@tracheon/core/tokens';
import type { MacroStyle } from '@tracheon/core/contract';

export interface Candidate {
  /** As it is put in, marks included. */
  text: string;
  meaning: string;
}
export interface Completion {
  /** Where the text that it replaces begins. */
  from: number;
  options: Candidate[];
}
/** More is no choice any more. */
const MAX_OPTIONS = 8;

/** What the desk has, so that no token of what it does not have is offered. */
export interface TokenGround {
  /** The sub-IDs that its sources tell, each with its meaning. */
  subs: Readonly<Record<string, string>>;
  hasPages: boolean;
}
/** Tokens that stay empty until there are branches and partners. */
const NOT_YET = /^(branch_|partner_)/;

/** Our tokens for a place: what is most often wanted there, the desk's own sub-IDs, then the rest. */
export function ourTokens(place: TokenPlace, { subs, hasPages }: TokenGround): Candidate[] {
  const all: Record<string, string> = { ...visitTokens, ...(place === 'conversion' ? conversionTokens : {}) };
  const first = firstTokens[place];
  const rest = Object.keys(all).filter(
    (name) => !first.includes(name) && !NOT_YET.test(name) && (hasPages || !name.startsWith('landing_')),
  );
  const token = (name: string, meaning: string): Candidate => ({ text: `{${name}}`, meaning });
  return [
    ...first.map((name) => token(name, all[name]!)),
    ...Object.entries(subs).map(([name, meaning]) => token(`sub_${name}`, meaning)),
    ...rest.map((name) => token(name, all[name]!)),
  ];
}

/** A partner's macros, by what they tell. */
export const theirMacros = (shape: MacroStyle, names: Readonly<Record<string, string>>): Candidate[] =>
  Object.entries(names).map(([name, meaning]) => ({
    text: /^[A-Za-z]/.test(name) ? inStyle(shape, name) : name,
    meaning,
  }));

/** What fits what was begun before the caret; null when nothing was begun, or it is finished. */
export function completionAt(text: string, caret: number, all: readonly Candidate[]): Completion | null {
  const before = text.slice(0, caret);
  const opens = [...new Set(all.map((c) => c.text[0]!))].map((c) => `\\${c}`).join('');
  if (opens === '') return null;
  const begun = new RegExp(`[${opens}]+[\\w. ]{0,40}$`).exec(before);
  if (!begun) return null;
  const typed = begun[0].replace(/^\W+/, '').trim().toLowerCase();
  const marks = begun[0].replace(/[\w. ]+$/, '');
  // A closing mark right before the caret ends one.
  if (typed === '' && marks.length > 1 && /[\]}>)]/.test(marks)) return null;
  const rank = (c: Candidate): number => {
    const name = c.text.replace(/^\W+|\W+$/g, '').toLowerCase();
    if (name.startsWith(typed)) return 0;
    if (name.includes(typed)) return 1;
    return c.meaning.toLowerCase().includes(typed) ? 2 : 3;
  };
  const options = all
    .filter((c) => c.text.startsWith(marks) && rank(c) < 3)
    .sort((a, b) => rank(a) - rank(b))
    .slice(0, MAX_OPTIONS);
  return options.length === 0 ? null : { from: begun.index, options };
}

/** The text with a candidate put in; a closing mark that stands behind the caret already is not doubled. */
export function putIn(
  text: string,
  caret: number,
  { from }: Completion,
  candidate: Candidate,
): { text: string; caret: number } {
  const closing = /\W+$/.exec(candidate.text)?.[0] ?? '';
  const after = text.slice(caret);
  const rest = closing !== '' && after.startsWith(closing) ? after.slice(closing.length) : after;
  return { text: text.slice(0, from) + candidate.text + rest, caret: from + candidate.text.length };
}
