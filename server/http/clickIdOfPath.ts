/** A record's ID is no click ID when its time lies beyond any calendar. */
import { parseClickId } from '@tracheon/core/identity';
import { Problem } from '../problems/problem.ts';

export function clickIdOfPath(id: string): string {
  const parsed = parseClickId(id);
  if (!parsed) throw new Problem('not_found');
  return parsed;
}
