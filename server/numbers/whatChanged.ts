/** Yesterday against the same weekday a week before: which campaigns changed most, and which value explains it. */
import { LRUCache } from 'lru-cache';
import type { Pool } from 'pg';
import {
  MAX_EXPORT_ROWS,
  numbersAsked,
  type NumbersAnswer,
  type SourceInput,
  type WhatChanged,
} from '@tracheon/core/contract';
import { changeOf, explainChange, SUB_PREFIX } from '@tracheon/core/metrics';
import { subsOf } from '@tracheon/core/parts';
import { localDay, shiftDay } from '@tracheon/core/time';
import type { ReportDesk } from '../reports/period.ts';
import type { AskIndex } from './campaignFigures.ts';

const DAYS_BEFORE = 7;
const MOST_CAMPAIGNS = 3;
/** A smaller change of a campaign, in micro-units of the desk's currency, is not worth a look. */
const LEAST_MICROS = 1_000_000n;
/** Some ten questions: whoever looks again finds what was found a moment ago. */
const KEPT_MS = 5 * 60_000;
const MOST_KEPT = 200;
/** Sub-IDs of a source that may explain something, the first ones. */
const MOST_SUBS = 4;
const LEVELS = ['pairing_id', 'device', 'os', 'country'];

const size = (n: bigint): bigint => (n < 0n ? -n : n);
type Row = NumbersAnswer['rows'][number];
const campaignOf = (row: Row): string => row.values[0]!;

export class WhatChangedKept {
  private readonly kept = new LRUCache<string, Promise<WhatChanged>>({ max: MOST_KEPT, ttl: KEPT_MS });

  constructor(private readonly pool: Pool) {}

  /** One that fails is forgotten. */
  of(ask: AskIndex, desk: ReportDesk, nowMs: number): Promise<WhatChanged> {
    const day = shiftDay(localDay(nowMs, desk.zone), -1);
    const key = `${desk.id}|${desk.zone}|${desk.currency}|${day}`;
    let found = this.kept.get(key);
    if (!found) {
      found = whatChanged(ask, this.pool, desk.id, day);
      this.kept.set(key, found);
      found.catch(() => this.kept.delete(key));
    }
    return found;
  }
}

async function whatChanged(ask: AskIndex, pool: Pool, deskId: string, day: string): Promise<WhatChanged> {
  const before = shiftDay(day, -DAYS_BEFORE);
  const compared = (by: string[], campaigns: readonly string[] = []): Promise<NumbersAnswer> =>
    ask(
      numbersAsked.parse({
        from: day,
        to: day,
        by,
        against: { from: before, to: before },
        only: campaigns.length === 0 ? [] : [{ by: 'campaign_id', is: 'is', values: campaigns }],
        limit: MAX_EXPORT_ROWS,
      }),
    );
  const all = await compared(['campaign_id']);
  const most = all.rows
    .filter((r) => campaignOf(r) !== '' && size(changeOf(r)) >= LEAST_MICROS)
    .sort((a, b) => (size(changeOf(b)) > size(changeOf(a)) ? 1 : -1))
    .slice(0, MOST_CAMPAIGNS);
  const levels = await levelsOf(pool, deskId, most.map(campaignOf));
  const answers = new Map<string, readonly Row[]>();
  for (const level of new Set([...levels.values()].flat())) {
    const of = most.map(campaignOf).filter((id) => levels.get(id)!.includes(level));
    answers.set(level, (await compared(['campaign_id', level], of)).rows);
  }
  return {
    day,
    before,
    profitMicros: all.total.profitMicros,
    profitBeforeMicros: all.totalBefore?.profitMicros ?? null,
    campaigns: most.map((row) => ({
      campaignId: campaignOf(row),
      name: row.names[0]!,
      changeMicros: String(changeOf(row)),
      why: whyOf(campaignOf(row), levels.get(campaignOf(row))!, answers),
    })),
  };
}

function whyOf(
  campaignId: string,
  levels: readonly string[],
  answers: ReadonlyMap<string, readonly Row[]>,
): WhatChanged['campaigns'][number]['why'] {
  const why = explainChange(
    levels.map((by) => ({
      by,
      rows: answers
        .get(by)!
        .filter((row) => campaignOf(row) === campaignId)
        .map((row) => ({ ...row, values: row.values.slice(1), names: row.names.slice(1) })),
    })),
  );
  if (!why) return null;
  const { change, ...rest } = why;
  return { ...rest, changeMicros: String(change) };
}

/** What visits of each of these campaigns differ by: sub-IDs of its source first. */
async function levelsOf(
  pool: Pool,
  deskId: string,
  campaignIds: readonly string[],
): Promise<Map<string, string[]>> {
  const { rows } = await pool.query<{ id: string; source: SourceInput }>(
    `SELECT c.id, s.body AS source FROM parts c JOIN parts s ON s.desk_id = c.desk_id AND s.id = c.body->>'sourceId'
     WHERE c.desk_id = $1 AND c.id = ANY ($2)`,
    [deskId, campaignIds],
  );
  const subs = new Map(rows.map((r) => [r.id, subsOf(r.source).slice(0, MOST_SUBS)]));
  return new Map(
    campaignIds.map((id) => [id, [...(subs.get(id) ?? []).map((s) => SUB_PREFIX + s), ...LEVELS]]),
  );
}
