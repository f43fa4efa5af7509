/** Daily salts, shared by all processes: today's and yesterday's are kept, older ones are gone for good. */
import { randomBytes } from 'node:crypto';
import type { Pool } from 'pg';
import type { Memory, Salts } from '../capture/uniqueness.ts';
import { isoDay } from '../db/partitions.ts';
import type { SaltsByDay } from '../snapshot/keptGround.ts';

const DAY_MS = 86_400_000;
/** So long after midnight a process may still have gone by the salt of the day before. */
const SALT_LAG_MS = 3_600_000;

export async function currentSalts(pool: Pool, nowMs: number): Promise<Salts> {
  const days = [isoDay(nowMs), isoDay(nowMs - DAY_MS)];
  for (const day of days)
    await pool.query('INSERT INTO salts VALUES ($1, $2) ON CONFLICT DO NOTHING', [day, randomBytes(32)]);
  await pool.query('DELETE FROM salts WHERE day < $1', [days[1]]);
  const { rows } = await pool.query<{ day: string; salt: Buffer }>(
    'SELECT day, salt FROM salts ORDER BY day DESC LIMIT 2',
  );
  const of = (day: string): Buffer => rows.find((r) => r.day === day)!.salt;
  return { today: of(days[0]!), yesterday: of(days[1]!) };
}

/** So that a restart makes nobody new: the unique visits and source click IDs of the last 24 h. */
export async function warmMemory(pool: Pool, memory: Memory, nowMs: number): Promise<void> {
  const { rows } = await pool.query<{
    visitor_hash: string;
    is_unique: boolean;
    source_id: string;
    source_click_id: string;
    is_repeat: boolean;
    at: Date;
  }>(
    `SELECT visitor_hash, is_unique, source_id, source_click_id, is_repeat, at FROM visits
     WHERE day >= $1::date AND at > $2 AND (is_unique OR (source_click_id <> '' AND NOT is_repeat)) ORDER BY at LIMIT 200000`,
    [isoDay(nowMs - DAY_MS), new Date(nowMs - DAY_MS)],
  );
  const midnight = Math.floor(nowMs / DAY_MS) * DAY_MS;
  for (const r of rows) {
    const atMs = r.at.getTime();
    if (r.is_unique) memory.remember(r.visitor_hash, atMs, atMs < midnight + SALT_LAG_MS);
    if (r.source_click_id !== '' && !r.is_repeat) memory.rememberClick(r.source_id, r.source_click_id, atMs);
  }
}

/** Of today and yesterday. A day without one gets a new salt: its visitors are new to us until the database is back. */
export function saltsAt(nowMs: number, kept: SaltsByDay): Salts {
  const of = (ms: number): Buffer => {
    const hex = kept[isoDay(ms)];
    return hex === undefined ? randomBytes(32) : Buffer.from(hex, 'hex');
  };
  return { today: of(nowMs), yesterday: of(nowMs - DAY_MS) };
}

export function saltsByDay(nowMs: number, salts: Salts): SaltsByDay {
  const day = (ms: number): string => isoDay(ms);
  return {
    [day(nowMs)]: salts.today.toString('hex'),
    [day(nowMs - DAY_MS)]: salts.yesterday.toString('hex'),
  };
}
