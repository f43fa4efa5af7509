/**
 * What a check found is written in one transaction with what is done about it: findings that begin and end, acts, the run,
 * and the notice. A subject is found once until its conditions don't hold any more. Whoever comes second, with a watch that
 * has been looked at or changed meanwhile, writes nothing.
 */
import type { Transaction } from 'sequelize';
import { dayStart, localDay } from '@tracheon/core/time';
import type { OwnFormulas } from '@tracheon/core/metrics';
import { isQuiet, nextCheck, nextStep, seenOf, type NextStep } from '@tracheon/core/watches';
import type { Models } from '../db/models.ts';
import { ulidAt } from '../db/pooledUlid.ts';
import { inTransaction } from '../db/transaction.ts';
import type { Looked, LookedRow } from './askWatch.ts';
import { writeNotice } from '../notices/writeNotice.ts';
import { noticeOf } from './findingWords.ts';
import { silenceOf, type SilentOffers } from './silentOffers.ts';
import { actOn, opposite, type Acted } from './watchActs.ts';
import type { WatchRow } from './watchStore.ts';

export interface Booking {
  watch: WatchRow;
  looked: Pick<Looked, 'fromMs' | 'toMs' | 'rows'>;
  matched: readonly LookedRow[];
  doubt: string;
  zone: string;
  currency: string;
  own: OwnFormulas;
  silence: SilentOffers;
  nameOf: (id: string) => string;
  nowMs: number;
}
export interface Booked {
  found: number;
  acted: number;
}
interface Open {
  id: string;
  value: string;
  state: string;
}

/** null: somebody was faster. */
export const bookFindings = (models: Models, booking: Booking): Promise<Booked | null> =>
  inTransaction(models, async (transaction) => new Book(models, transaction, booking).write());

class Book {
  constructor(
    private readonly models: Models,
    private readonly transaction: Transaction,
    private readonly b: Booking,
  ) {}

  private async rows<R extends object>(sql: string, replacements: Record<string, unknown>): Promise<R[]> {
    const { transaction } = this;
    const [rows] = await this.models.sequelize.query(sql, { replacements, transaction });
    return rows as R[];
  }

  async write(): Promise<Booked | null> {
    const { watch, matched } = this.b;
    const [now] = await this.rows<{ next_at: Date | null }>(
      'SELECT next_at FROM watches WHERE id = :id FOR UPDATE',
      {
        id: watch.id,
      },
    );
    if (!now?.next_at || now.next_at.getTime() !== watch.next_at!.getTime()) return null;
    const open = await this.rows<Open>(
      'SELECT id, value, state FROM watch_findings WHERE watch_id = :id AND ended_at IS NULL',
      { id: watch.id },
    );
    const values = new Set(matched.map((r) => r.value));
    await this.end(open.filter((o) => !values.has(o.value)));
    const there = new Map(open.map((o) => [o.value, o]));
    const found = matched.filter((r) => !there.has(r.value));
    const ids = new Map(open.map((o) => [o.value, o.id]));
    for (const row of found) ids.set(row.value, ulidAt(this.b.nowMs));
    await this.begin(found, ids);
    await this.refresh(
      matched.filter((r) => there.has(r.value)),
      ids,
    );
    const due = matched.filter((r) => !there.has(r.value) || there.get(r.value)!.state === 'put_off');
    const acted = await this.act(due, ids);
    await this.finish(found, acted);
    return { found: found.length, acted };
  }

  private async end(ended: readonly Open[]): Promise<void> {
    if (ended.length === 0) return;
    await this.rows('UPDATE watch_findings SET ended_at = :at WHERE id IN (:ids)', {
      at: new Date(this.b.nowMs),
      ids: ended.map((o) => o.id),
    });
  }

  private recordOf(row: LookedRow, ids: ReadonlyMap<string, string>): object {
    return {
      id: ids.get(row.value)!,
      value: row.value,
      name: row.name,
      seen: seenOf(this.b.watch.body, row, this.b.own),
      spent: row.figures.spentMicros,
    };
  }

  private async begin(found: readonly LookedRow[], ids: ReadonlyMap<string, string>): Promise<void> {
    const { watch, nowMs } = this.b;
    if (found.length === 0) return;
    await this.rows(
      `INSERT INTO watch_findings (id, desk_id, watch_id, act, value, name, seen, spent_micros, state, found_at)
       SELECT r.id, :deskId, :watchId, :act, r.value, r.name, r.seen, r.spent, 'none', :at
       FROM json_to_recordset(:rows) AS r (id text, value text, name text, seen jsonb, spent bigint)`,
      {
        deskId: watch.desk_id,
        watchId: watch.id,
        act: watch.body.act,
        at: new Date(nowMs),
        rows: JSON.stringify(found.map((r) => this.recordOf(r, ids))),
      },
    );
  }

  /** Those that are open still show what they are now. */
  private async refresh(still: readonly LookedRow[], ids: ReadonlyMap<string, string>): Promise<void> {
    if (still.length === 0) return;
    await this.rows(
      `UPDATE watch_findings f SET seen = r.seen, spent_micros = r.spent, name = r.name
       FROM json_to_recordset(:rows) AS r (id text, value text, name text, seen jsonb, spent bigint)
       WHERE f.id = r.id AND (f.seen, f.spent_micros, f.name) IS DISTINCT FROM (r.seen, r.spent, r.name)`,
      { rows: JSON.stringify(still.map((r) => this.recordOf(r, ids))) },
    );
  }

  /** The costliest first. Returns how many were acted on. */
  private async act(due: readonly LookedRow[], ids: ReadonlyMap<string, string>): Promise<number> {
    const { watch, nowMs, zone, doubt, silence } = this.b;
    if (watch.body.act === 'notify' || due.length === 0) return 0;
    const spent = (r: LookedRow): number => Number(r.figures.spentMicros);
    const inOrder = [...due].sort((a, b) => spent(b) - spent(a));
    const ended = await this.lastEnded(inOrder.map((r) => r.value));
    const fights = await this.fights(inOrder.map((r) => r.value));
    let actsToday = await this.actsToday();
    const steps = inOrder.map((row): [LookedRow, NextStep] => {
      const ground = {
        isQuiet: isQuiet(watch.body, nowMs, zone),
        actsToday,
        lastEndedMs: ended.get(row.value) ?? null,
        doubt: fights.get(row.value) ?? (doubt || silenceOf(silence, watch.body, row.value)),
      };
      const step = nextStep(watch.body, ground, nowMs);
      if (step.step === 'act') actsToday += 1;
      return [row, step];
    });
    const toAct = steps.filter(([, s]) => s.step === 'act').map(([row]) => row);
    const outcomes = new Map(toAct.map((row, i) => [row.value, i]));
    const acted = toAct.length === 0 ? [] : await this.actOn(toAct, ids);
    await this.noteSteps(
      steps.map(([row, step]) => {
        const i = outcomes.get(row.value);
        return { id: ids.get(row.value)!, ...stateAfter(step, i === undefined ? null : acted[i]!) };
      }),
    );
    return acted.filter((a) => 'did' in a).length;
  }

  private actOn(rows: readonly LookedRow[], ids: ReadonlyMap<string, string>): Promise<Acted[]> {
    const { models, transaction } = this;
    const { watch, nowMs } = this.b;
    return actOn(
      { models, transaction, by: { deskId: watch.desk_id, memberId: watch.changed_by }, nowMs },
      watch.body,
      rows.map(({ value, name, figures }) => ({
        findingId: ids.get(value)!,
        value,
        name,
        spentMicros: figures.spentMicros,
        profitMicros: figures.profitMicros,
      })),
    );
  }

  /** Values to which another watch did the opposite a short while ago, with the sentence that says so. */
  private async fights(values: readonly string[]): Promise<Map<string, string>> {
    const { watch, nowMs } = this.b;
    const act = opposite[watch.body.act];
    if (!act) return new Map();
    const rows = await this.rows<{ value: string; name: string }>(
      `SELECT DISTINCT ON (f.value) f.value, w.body->>'name' AS name FROM watch_findings f JOIN watches w ON w.id = f.watch_id
       WHERE f.desk_id = :deskId AND f.watch_id <> :id AND f.act = :act AND f.state = 'done' AND f.acted_at > :since
         AND f.value IN (:values) AND w.body->>'subject' = :subject ORDER BY f.value, f.acted_at DESC`,
      {
        deskId: watch.desk_id,
        id: watch.id,
        act,
        since: new Date(nowMs - FIGHT_MS),
        values,
        subject: watch.body.subject,
      },
    );
    return new Map(
      rows.map((r) => [
        r.value,
        `The watch “${r.name}” did the opposite in the last 24 hours. The two watches contradict each other.`,
      ]),
    );
  }

  private async noteSteps(
    rows: readonly { id: string; state: string; why: string; did: object | null }[],
  ): Promise<void> {
    await this.rows(
      `UPDATE watch_findings f SET state = r.state, why = r.why, did = r.did,
         acted_at = CASE WHEN r.state = 'done' THEN :at::timestamptz ELSE f.acted_at END
       FROM json_to_recordset(:rows) AS r (id text, state text, why text, did jsonb) WHERE f.id = r.id`,
      { at: new Date(this.b.nowMs), rows: JSON.stringify(rows) },
    );
  }

  private async lastEnded(values: readonly string[]): Promise<Map<string, number>> {
    const rows = await this.rows<{ value: string; at: Date }>(
      `SELECT value, max(ended_at) AS at FROM watch_findings
       WHERE watch_id = :id AND acted_at IS NOT NULL AND ended_at IS NOT NULL AND value IN (:values) GROUP BY value`,
      { id: this.b.watch.id, values },
    );
    return new Map(rows.map((r) => [r.value, r.at.getTime()]));
  }

  private async actsToday(): Promise<number> {
    const { watch, nowMs, zone } = this.b;
    const [row] = await this.rows<{ n: number }>(
      'SELECT count(*)::int AS n FROM watch_findings WHERE watch_id = :id AND acted_at >= :since',
      { id: watch.id, since: new Date(dayStart(localDay(nowMs, zone), zone)) },
    );
    return row!.n;
  }

  private async finish(found: readonly LookedRow[], acted: number): Promise<void> {
    const { watch, looked, matched, nowMs } = this.b;
    await this.rows(
      `INSERT INTO watch_runs (id, watch_id, at, from_at, to_at, rows, matched, found, acted, note)
       VALUES (:id, :watchId, :at, :from, :to, :rows, :matched, :found, :acted, :note)`,
      {
        id: ulidAt(nowMs),
        watchId: watch.id,
        at: new Date(nowMs),
        from: new Date(looked.fromMs),
        to: new Date(looked.toMs),
        rows: looked.rows.length,
        matched: matched.length,
        found: found.length,
        acted,
        note: noteOf(this.b),
      },
    );
    await this.rows(`UPDATE watches SET next_at = :next, waits = '' WHERE id = :id`, {
      id: watch.id,
      next: new Date(nextCheck(watch.next_at!.getTime(), watch.body, nowMs)),
    });
    if (found.length + acted > 0) await this.notify(found, acted);
  }

  private notify(found: readonly LookedRow[], acted: number): Promise<void> {
    const { watch, nowMs } = this.b;
    const { mailTo, webhook } = watch.body;
    return writeNotice(
      this.models,
      this.transaction,
      {
        deskId: watch.desk_id,
        watchId: watch.id,
        ...noticeOf(this.b, found, acted),
        to: '/watches/notices',
        mailTo,
        webhook,
      },
      nowMs,
    );
  }
}

/** What is said of a run. */
export const noteOf = ({ watch, doubt }: Pick<Booking, 'watch' | 'doubt'>): string =>
  watch.body.act !== 'notify' && !watch.body.asks && doubt !== ''
    ? `It asks instead of acting. ${doubt}`
    : '';

/** What another watch did so long ago is no reply to it. */
const FIGHT_MS = 86_400_000;

function stateAfter(step: NextStep, acted: Acted | null): { state: string; why: string; did: object | null } {
  if (acted)
    return 'did' in acted
      ? { state: 'done', why: acted.why, did: acted.did }
      : { state: 'failed', why: acted.why, did: null };
  if (step.step === 'ask') return { state: 'asked', why: step.why, did: null };
  return {
    state: step.step === 'put_off' ? 'put_off' : 'none',
    why: step.step === 'put_off' ? step.why : '',
    did: null,
  };
}
