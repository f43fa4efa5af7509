import { routingDifferences, type Routed } from '@tracheon/core/routing';
import { countryName } from '../ui/format.ts';

/** Two versions of one record, field by field, as text that a person can compare. */
export interface Difference {
  field: string;
  mine: string;
  theirs: string;
}
/** Name of a record by its ID, for fields that hold one. */
export type NameOf = (id: string) => string | undefined;

export function differences(mine: object, theirs: object, nameOf: NameOf): Difference[] {
  const [a, b] = [mine, theirs] as Record<string, unknown>[];
  const plain = [...new Set([...Object.keys(a!), ...Object.keys(b!)])]
    .filter((key) => !(key in ROUTED))
    .filter((key) => JSON.stringify(a![key]) !== JSON.stringify(b![key]))
    .map((key) => ({
      field: fieldWords(key),
      mine: inWords(a![key], nameOf),
      theirs: inWords(b![key], nameOf),
    }));
  return [...plain, ...waysDiffering(mine, theirs, nameOf)];
}

/** Fields that only together say where visitors go. */
const ROUTED: Readonly<Record<keyof Routed, true>> = { offerId: true, landingPageId: true, routing: true };

function waysDiffering(mine: object, theirs: object, nameOf: NameOf): Difference[] {
  if (!('routing' in mine) && !('routing' in theirs)) return [];
  const isPlain = [mine, theirs].every((one) => !(one as Partial<Routed>).routing);
  const name = (field: string, value: string): string =>
    field === 'country' ? countryName(value) : (nameOf(value) ?? value);
  return routingDifferences(mine as Routed, theirs as Routed, name).map(({ field, before, after }) => ({
    field: isPlain && field === 'Otherwise, pairings' ? 'Offer and page' : field,
    mine: before,
    theirs: after,
  }));
}

/** `clickIdParameter` reads “click ID parameter”. */
export function fieldWords(key: string): string {
  return key
    .replace(/Micros$/, '')
    .replace(/(?<=.)Id$/, '')
    .replace(/[A-Z]/g, (c) => ` ${c.toLowerCase()}`)
    .replace(/\bid\b/g, 'ID')
    .replace(/\burl\b/g, 'URL');
}

function inWords(value: unknown, nameOf: NameOf): string {
  if (value === undefined || value === null || value === '') return '(empty)';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return nameOf(value) ?? value;
  if (typeof value !== 'object') return String(value);
  if (Array.isArray(value))
    return value.length === 0 ? '(none)' : value.map((v) => inWords(v, nameOf)).join('; ');
  return Object.entries(value)
    .filter(([, v]) => v !== '')
    .map(([k, v]) => (typeof v === 'object' ? `${fieldWords(k)} ${inWords(v, nameOf)}` : inWords(v, nameOf)))
    .join(' ');
}
