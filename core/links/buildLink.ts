/** A partner's link put together from what it wants: fixed values, tokens, and a run of keywords such as kw1, kw2, kw3. */
import type { NetworkInput } from '../contract/networks.ts';
import { outgoingLink } from './compose.ts';
import { decodePercent, plusAsSpace } from './query.ts';
import { joinLink, splitLink } from './parts.ts';

export const MAX_RUN = 200;

export interface KeywordRun {
  /** Before the number: `kw` of kw1, kw2 … */
  prefix: string;
  words: string[];
}
export interface LinkRecipe {
  base: string;
  /** A value may have tokens. */
  fixed: readonly { name: string; value: string }[];
  run: KeywordRun;
}

const TOKEN = /(\{[a-z0-9_]{1,60}(?::[a-z0-9_]{1,60})?\})/;
/** Percent-encoded but for its tokens. */
const encoded = (value: string): string =>
  value
    .split(TOKEN)
    .map((part, i) => (i % 2 === 1 ? part : encodeURIComponent(part.toWellFormed())))
    .join('');

/** Replaces parameters that the base already has. With a network, it adds our click ID and the network's own parameters. */
export function builtLink({ base, fixed, run }: LinkRecipe, network: NetworkInput | null): string {
  const parts = splitLink(base.trim());
  const pairs = [...(parts.pairs ?? [])];
  const set = (name: string, value: string): void => {
    const at = pairs.findIndex((p) => p.name === name);
    pairs.splice(at < 0 ? pairs.length : at, at < 0 ? 0 : 1, { name, value, hasEquals: true });
  };
  for (const { name, value } of fixed) if (name.trim() !== '') set(name.trim(), encoded(value.trim()));
  if (run.prefix.trim() !== '')
    run.words.slice(0, MAX_RUN).forEach((word, i) => set(`${run.prefix.trim()}${i + 1}`, encoded(word)));
  const link = joinLink({ ...parts, pairs });
  return network ? outgoingLink(link, network) : link;
}

/** The longest run of numbered parameters in a link, its values decoded, twice where they were encoded twice. */
export function keywordRun(link: string): KeywordRun | null {
  const runs = new Map<string, Map<number, string>>();
  for (const { name, value } of splitLink(link).pairs ?? []) {
    const match = /^([a-z_-]{1,20})(\d{1,3})$/i.exec(name);
    if (match) runs.set(match[1]!, (runs.get(match[1]!) ?? new Map()).set(Number(match[2]), plain(value)));
  }
  const [best] = [...runs].filter(([, words]) => words.size > 1).sort((a, b) => b[1].size - a[1].size);
  if (!best) return null;
  const [prefix, words] = best;
  return { prefix, words: [...words].sort(([a], [b]) => a - b).map(([, word]) => word) };
}
const plain = (value: string): string => {
  const once = plusAsSpace(value);
  return (/%[0-9a-f]{2}/i.test(once) ? decodePercent(once.replaceAll('+', ' ')) : once).trim();
};

/** One keyword in each line; empty lines and repeats are left out. */
export const wordsOf = (text: string): string[] =>
  [...new Set(text.split('\n').map((line) => line.trim()))].filter((word) => word !== '').slice(0, MAX_RUN);
