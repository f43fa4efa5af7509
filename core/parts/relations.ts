/**
 * Which field of which kind refers to which kind, once. References, *used by*, the archive guard, the order of an import and
 * what the screens say of a part are all read from here.
 */
import { partKinds, type PartKind } from '../contract/index.ts';
import { SEEN_OFFER } from '../visits/index.ts';

/** `list[].field` is in each of a list, `list[]` is each of a list of IDs, `a.b` is inside an object; all of them nest. */
export interface Relation {
  path: string;
  to: PartKind;
  /** At the path stands a condition: its comparisons of this field have the IDs as their values. */
  asked?: string;
}

export const relations: Record<PartKind, readonly Relation[]> = {
  network: [{ path: 'eventWords[].eventTypeId', to: 'event-type' }],
  source: [{ path: 'reportEvents[]', to: 'event-type' }],
  'landing-page': [],
  offer: [
    { path: 'networkId', to: 'network' },
    { path: 'fallbackOfferId', to: 'offer' },
    { path: 'capWithOfferId', to: 'offer' },
    { path: 'capEventTypeIds[]', to: 'event-type' },
    { path: 'payouts[].eventTypeId', to: 'event-type' },
    { path: 'conversionsFrom[].eventTypeId', to: 'event-type' },
    { path: 'partnerPayouts[].eventTypeId', to: 'event-type' },
    { path: 'partnerPayouts[].exceptions[].partnerId', to: 'partner' },
    { path: 'moreCaps[].partnerId', to: 'partner' },
  ],
  'event-type': [],
  partner: [],
  campaign: [
    { path: 'sourceId', to: 'source' },
    { path: 'offerId', to: 'offer' },
    { path: 'landingPageId', to: 'landing-page' },
    { path: 'costEventTypeId', to: 'event-type' },
    { path: 'routing.branches[].pairings[].landingPageId', to: 'landing-page' },
    { path: 'routing.branches[].pairings[].offerIds[]', to: 'offer' },
    { path: 'routing.branches[].when', asked: 'source_id', to: 'source' },
    { path: 'routing.branches[].when', asked: 'brought_by', to: 'partner' },
    { path: 'routing.branches[].when', asked: SEEN_OFFER, to: 'offer' },
    { path: 'routing.otherwise.pairings[].landingPageId', to: 'landing-page' },
    { path: 'routing.otherwise.pairings[].offerIds[]', to: 'offer' },
  ],
};

/** One reference of a record: where it stands in the body, and to what. */
export interface PartLink {
  path: string;
  to: PartKind;
  id: string;
}
type Swap = (value: string, to: PartKind, path: string) => string;

/** The body with every reference that is not empty swapped for something else. A body is JSON; a screen's may be observed. */
export function replaceReferences(kind: PartKind, body: unknown, swap: Swap): Record<string, unknown> {
  const copy = JSON.parse(JSON.stringify(body)) as Record<string, unknown>;
  for (const relation of relations[kind]) replaceAt(copy, relation.path, relation, swap);
  return copy;
}

function replaceAt(
  holder: Record<string, unknown> | unknown[],
  path: string,
  relation: Relation,
  swap: Swap,
  before = '',
): void {
  const [, head = '', rest = ''] = /^([^.[]*)(.*)$/.exec(path)!;
  const key = head as keyof typeof holder;
  const at = before === '' ? head : `${before}.${head}`;
  const value = holder[key] as unknown;
  if (rest === '') {
    if (relation.asked !== undefined) replaceAsked(value, relation.asked, relation.to, at, swap);
    else if (typeof value === 'string' && value !== '')
      (holder[key] as unknown) = swap(value, relation.to, at);
  } else if (rest.startsWith('[]')) {
    if (!Array.isArray(value)) return;
    const inner = rest.slice(2).replace(/^\./, '');
    value.forEach((item: unknown, i) => {
      if (inner === '') replaceAt(value, String(i), relation, swap, at);
      else if (typeof item === 'object' && item !== null)
        replaceAt(item as Record<string, unknown>, inner, relation, swap, `${at}.${i}`);
    });
  } else if (typeof value === 'object' && value !== null)
    replaceAt(value as Record<string, unknown>, rest.slice(1), relation, swap, at);
}

/** In each comparison of the field, wherever the condition has it. What is no condition, of a file that is imported, is left alone. */
function replaceAsked(at: unknown, field: string, to: PartKind, path: string, swap: Swap): void {
  if (typeof at !== 'object' || at === null) return;
  const { on, values } = at as { on?: unknown; values?: unknown };
  if (on === field && Array.isArray(values))
    values.forEach((id: unknown, i) => {
      if (typeof id === 'string' && id !== '') values[i] = swap(id, to, `${path}.values.${i}`);
    });
  for (const [key, inner] of Object.entries(at)) replaceAsked(inner, field, to, `${path}.${key}`, swap);
}

/** Every reference of a record that is not empty. */
export function partLinks(kind: PartKind, body: unknown): PartLink[] {
  const found: PartLink[] = [];
  replaceReferences(kind, body, (id, to, path) => {
    found.push({ path, to, id });
    return id;
  });
  return found;
}

/** In an order in which each kind comes after those that it refers to; a kind that refers to itself comes once. */
export const makingOrder: readonly PartKind[] = (() => {
  const order: PartKind[] = [];
  const visit = (kind: PartKind): void => {
    if (order.includes(kind)) return;
    for (const { to } of relations[kind]) if (to !== kind) visit(to);
    order.push(kind);
  };
  partKinds.forEach(visit);
  return order;
})();
/** The other way round: who uses comes before what is used. */
export const usersFirst: readonly PartKind[] = [...makingOrder].reverse();
