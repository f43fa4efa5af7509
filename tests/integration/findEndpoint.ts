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
export function findIn<N extends string, E extends Found>(
  table: Record<N, E>,
  method: string,
  path: string,
): (E & { name: N }) | undefined {
  const wanted = path.split('/');
  const literals = (e: Found): number => e.path.split('/').filter((p) => !p.startsWith('{')).length;
  const fitting = (Object.entries(table) as [N, E][]).filter(([, e]) => {
    const parts = e.path.split('/');
    return (
      e.method === method.toLowerCase() &&
      parts.length === wanted.length &&
      parts.every((p, i) => p.startsWith('{') || p === wanted[i])
    );
  });
  const best = fitting.sort(([, a], [, b]) => literals(b) - literals(a))[0];
  return best && { ...best[1], name: best[0] };
}
