/** What signal watches find now, for Today; of one kind in a line when there are many. */
import type { Pool } from 'pg';
import type { Attention, SignalKind } from '@tracheon/core/contract';
import { signalKindWords } from '@tracheon/core/signalWatches';

/** Today says these by itself. */
const SAID_ELSEWHERE: readonly SignalKind[] = ['feed_trouble', 'page_broken'];
const EACH = 3;

export async function signalsNow(pool: Pool, deskId: string): Promise<Attention[]> {
  const { rows } = await pool.query<{ kind: SignalKind; sentence: string; to_path: string }>(
    `SELECT kind, sentence, to_path FROM signal_findings WHERE desk_id = $1 AND ended_at IS NULL AND kind <> ALL ($2) ORDER BY id`,
    [deskId, SAID_ELSEWHERE],
  );
  return [...new Set(rows.map((r) => r.kind))].flatMap((kind): Attention[] => {
    const all = rows.filter((r) => r.kind === kind);
    if (all.length <= EACH)
      return all.map(({ sentence, to_path: to }) => ({ code: 'signal', count: 1, sentence, to }));
    const sentence = `${signalKindWords[kind].label}: ${all.length} of them. ${all[0]!.sentence}`;
    return [{ code: 'signal', count: all.length, sentence, to: '/watches/signals' }];
  });
}
