/** The endpoint of the contract that a request of a test goes to. */
import { endpoints } from '@tracheon/core/contract/all';
import { type Endpoint, type EndpointName } from '@tracheon/core/contract';

/**
 * The endpoint that a request goes to, by method and path under /api without its query; undefined for none. Of several that
 * fit, the one with more literal segments, as in /parts/{kind}/name-free beside /parts/{kind}/{id}.
 */
export const findEndpoint = (method: string, path: string): (Endpoint & { name: EndpointName }) | undefined =>
  findIn(endpoints, method, path);

type Found = Pick<Endpoint, 'method' | 'path' | 'answer' | 'status'>;
interface Place {
  name: string;
  parts: string[];
}
/** By table: endpoints of a method and a number of segments, those with more literal segments first. */
const places = new WeakMap<object, Map<string, Place[]>>();

function placesOf(table: Record<string, Found>): Map<string, Place[]> {
  const known = places.get(table);
  if (known) return known;
  const literals = ({ parts }: Place): number => parts.filter((p) => !p.startsWith('{')).length;
  const all = Object.entries(table).map(([name, { path }]) => ({ name, parts: path.split('/') }));
  const made = new Map<string, Place[]>();
  for (const place of all.sort((a, b) => literals(b) - literals(a))) {
    const key = `${table[place.name]!.method} ${place.parts.length}`;
    made.set(key, [...(made.get(key) ?? []), place]);
  }
  places.set(table, made);
  return made;
}

export function findIn<N extends string, E extends Found>(
  table: Record<N, E>,
  method: string,
  path: string,
): (E & { name: N }) | undefined {
  const wanted = path.split('/');
  const fitting = placesOf(table).get(`${method.toLowerCase()} ${wanted.length}`) ?? [];
  const best = fitting.find(({ parts }) => parts.every((p, i) => p.startsWith('{') || p === wanted[i]));
  const name = best?.name as N | undefined;
  return name && { ...table[name], name };
}
