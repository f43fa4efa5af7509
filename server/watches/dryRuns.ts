/**
 * Dry runs: a watch checked at each of its moments of the past weeks, by what was booked by then, on the engine that checks
 * it live. They go on beside the requests, one for each member, and are forgotten a while after their end.
 */
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  MAX_DRY_CHECKS,
  MAX_SHOWN_FIRINGS,
  type NumbersAnswer,
  type NumbersAsked,
  type WatchDryRun,
  type WatchInput,
} from '@tracheon/core/contract';
import { localDay } from '@tracheon/core/time';
import { DryRun, dryMoments, meets, seenOf, type Firing } from '@tracheon/core/watches';
import { HISTORY_DAYS } from '../db/factChanges.ts';
import { Problem } from '../problems/problem.ts';
import { look, lookFor, questionOf } from './askWatch.ts';
import { ownFormulas } from './ownFormulas.ts';

type Asks = (deskId: string, asked: NumbersAsked, signal: AbortSignal) => Promise<NumbersAnswer>;
const DAY_MS = 86_400_000;
const KEPT_MS = 15 * 60_000;
/** Of all members together: each asks hundreds of questions. */
const AT_ONCE = 4;

export interface DryAsked {
  deskId: string;
  memberId: string;
  watch: WatchInput;
  days: number;
  nowMs: number;
}
interface Running {
  asked: DryAsked;
  told: WatchDryRun;
  stopping: AbortController;
  endedMs: number | null;
}

export class DryRuns {
  private readonly all = new Map<string, Running>();

  constructor(
    private readonly pool: Pool,
    private readonly asks: Asks,
  ) {}

  /** A member's run before is stopped. */
  start(asked: DryAsked): Promise<WatchDryRun> {
    this.forget();
    for (const run of this.all.values())
      if (run.asked.memberId === asked.memberId && run.told.state === 'running') run.stopping.abort();
    const going = [...this.all.values()].filter(
      (r) => r.told.state === 'running' && !r.stopping.signal.aborted,
    );
    if (going.length >= AT_ONCE)
      throw new Problem('invalid_input', {
        fields: [
          { path: 'days', message: 'Several dry runs go on already. Try again when one of them is over.' },
        ],
      });
    const moments = dryMoments(asked.watch, asked.nowMs - asked.days * DAY_MS, asked.nowMs, MAX_DRY_CHECKS);
    const run: Running = { asked, told: blank(moments), stopping: new AbortController(), endedMs: null };
    this.all.set(run.told.id, run);
    void this.go(run, moments);
    return Promise.resolve(run.told);
  }

  read(deskId: string, id: string): WatchDryRun {
    const run = this.all.get(id);
    if (run?.asked.deskId !== deskId) throw new Problem('not_found');
    return run.told;
  }

  stop(deskId: string, id: string): void {
    this.read(deskId, id);
    this.all.get(id)!.stopping.abort();
  }

  private forget(): void {
    for (const [id, { endedMs }] of this.all)
      if (endedMs !== null && Date.now() - endedMs > KEPT_MS) this.all.delete(id);
  }

  private async go(run: Running, moments: readonly number[]): Promise<void> {
    try {
      await this.checkAll(run, moments);
      run.told.state = 'done';
    } catch (error) {
      run.told.state = run.stopping.signal.aborted ? 'stopped' : 'failed';
      if (run.told.state === 'failed') run.told.problem = (error as Error).message;
    }
    run.endedMs = Date.now();
  }

  private async checkAll(run: Running, moments: readonly number[]): Promise<void> {
    const { asked, told, stopping } = run;
    const { watch, deskId } = asked;
    const { signal } = stopping;
    const [zone, own, since] = await Promise.all([
      zoneOf(this.pool, deskId),
      ownFormulas(this.pool, deskId),
      knownSince(this.pool, asked.nowMs),
    ]);
    told.approximateUntil = since > moments[0]! ? new Date(since).toISOString() : null;
    const dry = new DryRun(watch, zone);
    const saved = new Saved(zone);
    const ask = (desk: string, question: NumbersAsked) => this.asks(desk, question, signal);
    for (const atMs of moments) {
      signal.throwIfAborted();
      const looked = await lookFor((question) => look(ask, deskId, question), watch, atMs, zone, true);
      const matched = looked.rows
        .filter((row) => meets(watch, row, looked.total, own))
        .map((row) => ({
          value: row.value,
          name: row.name,
          seen: seenOf(watch, row, own),
          spentMicros: row.figures.spentMicros,
        }));
      const before = dry.firings.length;
      dry.check(atMs, matched);
      const begun = dry.firings.slice(before);
      // A member who is asked is taken to say yes at once.
      const acted = dry.firings.filter((f) => f.actedMs === atMs || (f.step === 'ask' && f.atMs === atMs));
      if (begun.length + acted.length > 0 && atMs < asked.nowMs) {
        const later = await look(ask, deskId, {
          ...questionOf(watch, asked.nowMs, { fromMs: atMs, toMs: asked.nowMs }),
          onlyMature: false,
        });
        const profits = new Map(later.rows.map((r) => [r.value, r.figures.profitMicros]));
        saved.note(begun, acted, profits);
      }
      told.done += 1;
      Object.assign(told, toldOf(dry.firings, saved));
    }
  }
}

/** What came after each firing, and what the first act on each value would have saved. */
class Saved {
  readonly later = new Map<Firing, string | null>();
  total = 0n;
  readonly byDay = new Map<string, bigint>();
  private readonly gone = new Set<string>();

  constructor(readonly zone: string) {}

  note(
    begun: readonly Firing[],
    acted: readonly Firing[],
    profits: ReadonlyMap<string, string | null>,
  ): void {
    for (const f of begun) this.later.set(f, profits.get(f.value) ?? (profits.has(f.value) ? null : '0'));
    for (const { value, atMs } of acted) {
      const profit = profits.get(value) ?? null;
      // What was cut once brings and costs nothing any more.
      if (this.gone.has(value) || profit === null) continue;
      this.gone.add(value);
      this.total -= BigInt(profit);
      const day = localDay(atMs, this.zone);
      this.byDay.set(day, (this.byDay.get(day) ?? 0n) - BigInt(profit));
    }
  }
}

function toldOf(
  firings: readonly Firing[],
  saved: Saved,
): Pick<WatchDryRun, 'count' | 'firings' | 'savedMicros' | 'byDay'> {
  const days = new Map<string, number>();
  for (const { atMs } of firings) {
    const day = localDay(atMs, saved.zone);
    days.set(day, (days.get(day) ?? 0) + 1);
  }
  for (const day of saved.byDay.keys()) if (!days.has(day)) days.set(day, 0);
  return {
    count: firings.length,
    firings: firings.slice(-MAX_SHOWN_FIRINGS).map((f) => ({
      at: new Date(f.atMs).toISOString(),
      endedAt: f.endedMs === null ? null : new Date(f.endedMs).toISOString(),
      value: f.value,
      name: f.name,
      seen: f.seen,
      step: f.step,
      why: f.why,
      laterProfitMicros: saved.later.get(f) ?? (saved.later.has(f) ? null : '0'),
    })),
    savedMicros: saved.total.toString(),
    byDay: [...days]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([day, n]) => ({ day, firings: n, savedMicros: (saved.byDay.get(day) ?? 0n).toString() })),
  };
}

const blank = (moments: readonly number[]): WatchDryRun => ({
  id: ulid(),
  state: 'running',
  done: 0,
  of: moments.length,
  from: new Date(moments[0]!).toISOString(),
  to: new Date(moments.at(-1)!).toISOString(),
  approximateUntil: null,
  problem: '',
  count: 0,
  firings: [],
  savedMicros: '0',
  byDay: [],
});

async function zoneOf(pool: Pool, deskId: string): Promise<string> {
  const { rows } = await pool.query<{ zone: string }>('SELECT zone FROM desks WHERE id = $1', [deskId]);
  return rows[0]!.zone;
}

/** From when on each change of a conversion is known with its time. */
async function knownSince(pool: Pool, nowMs: number): Promise<number> {
  const { rows } = await pool.query<{ at: number }>(
    `SELECT CASE WHEN isfinite(at) THEN (extract(epoch FROM at) * 1000)::float8 ELSE 0 END AS at FROM history_since`,
  );
  return Math.max(rows[0]?.at ?? 0, nowMs - HISTORY_DAYS * DAY_MS);
}
