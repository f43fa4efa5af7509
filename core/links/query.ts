/**
 * Queries as partners really send them: a repeated parameter counts once (the first) and is flagged; an
 * invalid `%` stays literal; NUL and lone surrogates are replaced; values are cut at 512 bytes. Names and values
 * live in a Map, so `__proto__` is a name like any other.
 */
import { MAX_PARAMETERS, MAX_VALUE_BYTES } from '../contract/primitives.ts';

export interface ParsedQuery {
  values: ReadonlyMap<string, string>;
  /** Values before decoding, for telling an encoded placeholder from a real value. */
  raw: ReadonlyMap<string, string>;
  notes: readonly string[];
}
/** `+` is a space in sub-IDs only; click IDs and transactions keep it. */
export function parseQuery(query: string): ParsedQuery {
  const values = new Map<string, string>();
  const raw = new Map<string, string>();
  const notes = new Set<string>();
  // Almost every query is plain ASCII: then only what is percent-encoded has to be looked at.
  const ascii = /^[\x20-\x7e]*$/.test(query);
  const read = (text: string): string =>
    ascii && !text.includes('%') ? text : cleanText(decodePercent(text), notes);
  let from = query.startsWith('?') ? 1 : 0;
  while (from <= query.length) {
    const amp = query.indexOf('&', from);
    const end = amp < 0 ? query.length : amp;
    const start = from;
    from = end + 1;
    if (start === end) continue;
    const sign = query.indexOf('=', start);
    const at = sign < 0 || sign > end ? end : sign;
    const rawValue = at === end ? '' : query.slice(at + 1, end);
    let name = read(query.slice(start, at)).trim();
    // Copied out of HTML source: `&amp;` stands where `&` was meant.
    if (start > 0 && name.startsWith('amp;')) {
      name = name.slice(4);
      notes.add('html_ampersand');
    }
    if (name === '') continue;
    if (values.has(name)) {
      notes.add(`repeated:${name}`);
      continue;
    }
    if (values.size >= MAX_PARAMETERS) {
      notes.add('too_many_parameters');
      break;
    }
    raw.set(name, rawValue);
    values.set(name, cut(read(rawValue), name, notes));
  }
  return { values, raw, notes: [...notes] };
}

export const plusAsSpace = (raw: string): string => decodePercent(raw.replaceAll('+', ' '));

/** Percent-decoding that never throws: a sequence that is no UTF-8, or no encoding at all, stays as it is. */
export function decodePercent(text: string): string {
  if (!text.includes('%')) return text;
  try {
    return decodeURIComponent(text);
  } catch {
    return text.replace(/(?:%[0-9A-Fa-f]{2})+/g, (run) => {
      try {
        return decodeURIComponent(run);
      } catch {
        return run.replace(/%[0-7][0-9A-Fa-f]/g, decodeURIComponent);
      }
    });
  }
}

/** Replaces what PostgreSQL text cannot hold: NUL and lone surrogates. */
export function cleanText(text: string, notes?: Set<string>): string {
  if (!text.includes('\0') && text.isWellFormed()) return text;
  notes?.add('replaced_characters');
  return text.replaceAll('\0', '\ufffd').toWellFormed();
}

/** Cuts at a byte limit without splitting a character. */
export function cutBytes(text: string, limit: number): string {
  if (text.length * 3 <= limit) return text;
  const bytes = new TextEncoder().encode(text);
  if (bytes.length <= limit) return text;
  let end = limit;
  while (end > 0 && (bytes[end]! & 0xc0) === 0x80) end -= 1;
  return new TextDecoder().decode(bytes.subarray(0, end));
}

function cut(text: string, name: string, notes: Set<string>): string {
  const short = cutBytes(text, MAX_VALUE_BYTES);
  if (short !== text) notes.add(`cut:${name}`);
  return short;
}

export type Presence = { state: 'absent' } | { state: 'unsubstituted' } | { state: 'present'; value: string };

/**
 * Absent is: missing, empty, `-`, `null`, `undefined`, or exactly the macro configured for that parameter,
 * also once or twice encoded, which is told apart as *unsubstituted*. `0` is zero.
 */
export function presence(value: string | undefined, macro: string): Presence {
  if (value === undefined) return { state: 'absent' };
  const text = value.trim();
  if (macro !== '' && text !== '') {
    if (text === macro) return { state: 'unsubstituted' };
    if (text.includes('%')) {
      const once = decodePercent(text);
      if (once === macro || decodePercent(once) === macro) return { state: 'unsubstituted' };
    }
  }
  return text === '' || text === '-' || text === 'null' || text === 'undefined'
    ? { state: 'absent' }
    : { state: 'present', value: text };
}
