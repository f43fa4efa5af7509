/** Signal watches as the API tells them, and what members say of them. */
import type { Pool } from 'pg';
import type { Signal, SignalKind } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';

interface Row {
  id: string;
  kind: SignalKind;
  name: string;
  sentence: string;
  sure: string;
  advice: string;
  to_path: string;
  since: Date;
  found_at: Date;
  ended_at: Date | null;
}
const asSignal = (r: Row): Signal => ({
  id: r.id,
  kind: r.kind,
  name: r.name,
  sentence: r.sentence,
  sure: r.sure,
  advice: r.advice,
  to: r.to_path,
  since: r.since.toISOString(),
  foundAt: r.found_at.toISOString(),
  endedAt: r.ended_at?.toISOString() ?? null,
  canAccept: r.ended_at === null && canAccept(r.kind),
});
/** A server or a domain in trouble is never right. */
const canAccept = (kind: SignalKind): boolean => kind !== 'server_trouble' && kind !== 'domain_trouble';

const ENDED_SHOWN = 100;
export interface Signals {
  off: SignalKind[];
  open: Signal[];
  ended: Signal[];
  lookedAt: Partial<Record<SignalKind, string>>;
}
export async function listSignals(pool: Pool, deskId: string): Promise<Signals> {
  // Before what they found, which is then at least as new.
  const looks = await pool.query<{ kind: SignalKind; looked_at: Date }>(
    'SELECT kind, looked_at FROM signal_looks WHERE desk_id = $1',
    [deskId],
  );
  const [settings, open, ended] = await Promise.all([
    pool.query<{ off: SignalKind[] }>('SELECT off_signals AS off FROM notice_settings WHERE desk_id = $1', [
      deskId,
    ]),
    pool.query<Row>(
      'SELECT * FROM signal_findings WHERE desk_id = $1 AND ended_at IS NULL ORDER BY id DESC',
      [deskId],
    ),
    pool.query<Row>(
      `SELECT * FROM signal_findings WHERE desk_id = $1 AND ended_at IS NOT NULL ORDER BY ended_at DESC LIMIT ${ENDED_SHOWN}`,
      [deskId],
    ),
  ]);
  return {
    off: settings.rows[0]?.off ?? [],
    open: open.rows.map(asSignal),
    ended: ended.rows.map(asSignal),
    lookedAt: Object.fromEntries(looks.rows.map((l) => [l.kind, l.looked_at.toISOString()])),
  };
}

/** What is switched off ends at once. */
export async function setSignals(pool: Pool, deskId: string, off: readonly SignalKind[]): Promise<void> {
  await pool.query('UPDATE notice_settings SET off_signals = $2 WHERE desk_id = $1', [
    deskId,
    JSON.stringify(off),
  ]);
  await pool.query(
    'UPDATE signal_findings SET ended_at = now() WHERE desk_id = $1 AND ended_at IS NULL AND kind = ANY ($2)',
    [deskId, off],
  );
}

/** An offer's page as it is becomes what later looks are compared with. */
export async function acceptSignal(pool: Pool, deskId: string, id: string, nowMs: number): Promise<void> {
  const { rows } = await pool.query<{ kind: SignalKind; subject: string }>(
    `UPDATE signal_findings SET ended_at = $3, accepted_at = CASE WHEN kind = 'offer_changed' THEN NULL ELSE $3::timestamptz END
     WHERE desk_id = $1 AND id = $2 AND ended_at IS NULL AND kind NOT IN ('server_trouble', 'domain_trouble')
     RETURNING kind, subject`,
    [deskId, id, new Date(nowMs)],
  );
  const [accepted] = rows;
  if (!accepted) throw new Problem('not_found');
  if (accepted.kind === 'offer_changed')
    await pool.query('UPDATE offer_looks SET baseline = seen WHERE desk_id = $1 AND part_id = $2', [
      deskId,
      accepted.subject,
    ]);
}

const KEEP_DAYS = 90;
export async function dropOldSignals(pool: Pool, nowMs: number): Promise<void> {
  await pool.query('DELETE FROM signal_findings WHERE ended_at < $1', [
    new Date(nowMs - KEEP_DAYS * 86_400_000),
  ]);
}
