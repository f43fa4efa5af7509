/**
 * Which field of which kind refers to which kind, once. References, *used by*, the archive guard, the order of an import and
 * what the screens say of a part are all read from here.
 */
import { partKinds, type PartKind } from '../contract/index.ts';

/** `list[].field` is in each of a list, `list[]` is each of a list of IDs. */
export interface Relation {
  path: string;
  to: PartKind;
}

export const relations: Record<PartKind, readonly Relation[]> = {
  network: [{ path: 'eventWords[].eventTypeId', to: 'event-type' }],
  source: [{ path: 'reportEvents[]', to: 'event-type' }],
  'landing-page': [],
  offer: [
    { path: 'networkId', to: 'network' },
    { path: 'fallbackOfferId', to: 'offer' },
    { path: 'payouts[].eventTypeId', to: 'event-type' },
    { path: 'conversionsFrom[].eventTypeId', to: 'event-type' },
  ],
  'event-type': [],
  campaign: [
    { path: 'sourceId', to: 'source' },
    { path: 'offerId', to: 'offer' },
    { path: 'landingPageId', to: 'landing-page' },
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
  for (const { path, to } of relations[kind]) replaceAt(copy, path, to, swap);
  return copy;
}

function replaceAt(holder: Record<string, unknown>, path: string, to: PartKind, swap: Swap): void {
  const [head = '', field] = path.split('[]');
  const change = (value: unknown, at: string): unknown =>
    typeof value === 'string' && value !== '' ? swap(value, to, at) : value;
  if (field === undefined) holder[head] = change(holder[head], head);
  else if (Array.isArray(holder[head])) {
    const list = holder[head] as unknown[];
    list.forEach((item, i) => {
      const name = field.replace(/^\./, '');
      if (name === '') list[i] = change(item, `${head}.${i}`);
      else if (typeof item === 'object' && item !== null)
        (item as Record<string, unknown>)[name] = change(
          (item as Record<string, unknown>)[name],
          `${head}.${i}.${name}`,
        );
    });
  }
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
