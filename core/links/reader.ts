/**
 * The link reader: any URL taken apart layer by layer, for looking at. Nothing is fetched, nothing is decided: what
 * cannot be read stays as it is.
 */
import { findMacros } from '../tokens/index.ts';
import { meaningOf } from './meanings.ts';
import { splitLink } from './parts.ts';
import { decodePercent } from './query.ts';

export interface ReadLink {
  text: string;
  scheme: string;
  host: string;
  path: string;
  parameters: ReadParameter[];
  /** Without `#`. */
  fragment: string;
  /** Placeholders anywhere in it, of whoever, each once. */
  macros: string[];
}
export interface ReadParameter {
  name: string;
  /** As it stands, then decoded once, twice …: each differs from the one before. */
  layers: [string, ...string[]];
  /** The last layer. */
  value: string;
  macros: string[];
  /** Empty when the name says nothing. */
  meaning: string;
  /** Names that differ by a number only share one: `kw1`, `kw2` → `kw`. Empty when it stands alone. */
  run: string;
  /** The address inside, opened in place. */
  nested: ReadLink | null;
}

/** Deeper than this nobody nests, and a text that is made to can be given up. */
const MAX_DEPTH = 6;
const MAX_LAYERS = 5;
const ADDRESS = /^(?:https?:)?\/\/[^\s/?#]+/i;

export function readLink(text: string, depth = 0): ReadLink {
  const { base, pairs, fragment } = splitLink(text.trim());
  const head = /^(?:([a-z][a-z0-9+.-]*):)?(?:\/\/([^/]*))?(.*)$/is.exec(base);
  const parameters = (pairs ?? [])
    .filter((p) => p.name !== '' || p.hasEquals)
    .map((p) => readParameter(p.name, p.value, depth));
  markRuns(parameters);
  return {
    text: text.trim(),
    scheme: head?.[1] ?? '',
    host: head?.[2] ?? '',
    path: head?.[3] ?? base,
    parameters,
    fragment: fragment.replace(/^#/, ''),
    macros: macrosIn(text),
  };
}

const macrosIn = (text: string): string[] => [...new Set(findMacros(text).map((m) => m.text))];

function readParameter(rawName: string, raw: string, depth: number): ReadParameter {
  const name = decodePercent(rawName.replaceAll('+', ' '));
  const layers: [string, ...string[]] = [raw];
  let value = raw;
  // An address is opened as soon as it shows: what is still encoded in it belongs to its own parameters.
  while (layers.length <= MAX_LAYERS && !ADDRESS.test(value)) {
    const next = decodePercent(layers.length === 1 ? value.replaceAll('+', ' ') : value);
    if (next === value) break;
    layers.push(next);
    value = next;
  }
  return {
    name,
    layers,
    value,
    macros: macrosIn(value),
    meaning: meaningOf(name),
    run: '',
    nested: depth < MAX_DEPTH && ADDRESS.test(value) ? readLink(value, depth + 1) : null,
  };
}

/** Alike parameters: the same name with a number in or behind it, at least two of them. */
function markRuns(parameters: ReadParameter[]): void {
  const stem = (name: string): string => name.replace(/[[_.-]?\d+\]?$/, '');
  const counts = new Map<string, number>();
  for (const { name } of parameters)
    if (stem(name) !== name) counts.set(stem(name), (counts.get(stem(name)) ?? 0) + 1);
  for (const p of parameters)
    if (stem(p.name) !== p.name && (counts.get(stem(p.name)) ?? 0) > 1) p.run = stem(p.name);
}

export interface ComparedParameter {
  name: string;
  /** null where that link has no such parameter. */
  first: string | null;
  second: string | null;
  same: boolean;
}

/** Two links parameter by parameter, in the order of the first, then what only the second has. */
export function compareLinks(first: ReadLink, second: ReadLink): ComparedParameter[] {
  const values = (link: ReadLink): Map<string, string[]> => {
    const found = new Map<string, string[]>();
    for (const p of link.parameters) found.set(p.name, [...(found.get(p.name) ?? []), p.value]);
    return found;
  };
  const [a, b] = [values(first), values(second)];
  const rows: ComparedParameter[] = [];
  for (const name of new Set([...a.keys(), ...b.keys()])) {
    const [mine, theirs] = [a.get(name) ?? [], b.get(name) ?? []];
    for (let i = 0; i < Math.max(mine.length, theirs.length); i++) {
      const [x, y] = [mine[i] ?? null, theirs[i] ?? null];
      rows.push({ name, first: x, second: y, same: x === y });
    }
  }
  return rows;
}
