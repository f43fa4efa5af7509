/**
 * What a change to a network would do, tried before it is kept: its last postbacks read both ways, and a group that needs
 * repair judged for real, in transactions that are rolled back.
 */
import type { Pool } from 'pg';
import {
  MAX_PREVIEWED,
  TRIED_POSTBACKS,
  type NetworkInput,
  type ReadingTrial,
  type RepairPreview,
} from '@tracheon/core/contract';
import { compareReadings, readingWords, withFix } from '@tracheon/core/conversions';
import { localDay } from '@tracheon/core/time';
import { dayOfReceipt, daysOfReceipts } from '../db/partitions.ts';
import { inPipeline, type Pipelined } from '../db/pools.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import { Problem } from '../problems/problem.ts';
import { judgeWithin } from '../intake/judgeWithin.ts';
import type { Judgement } from '../intake/outcomes.ts';
import { loadReading } from '../intake/ownerContext.ts';
import { readReceipt } from '../intake/readReceipt.ts';
import { groupValues, ofGroup, type GroupName } from './repairGroups.ts';
import { toReceipt, type ReceiptRow } from '../intake/sweeper.ts';

const MAX_EXAMPLES = 10;
/** Judged in one transaction; it locks their conversions for as long as it lasts. */
const TOGETHER = 40;
/** A preview that takes longer tells of those that it has tried. */
const PATIENCE_MS = 8000;

/** The network's last postbacks, read as it is and as it would be. */
export async function tryReading(
  pool: Pool,
  deskId: string,
  networkId: string,
  proposed: NetworkInput,
): Promise<ReadingTrial> {
  const { network, types } = await loadReading(pool, deskId, networkId);
  if (!network) throw new Problem('not_found');
  const latest = `outcomes WHERE desk_id = $1 AND network_id = $2 AND channel IN ('postback', 'pixel')
    ORDER BY receipt_id DESC LIMIT ${TRIED_POSTBACKS}`;
  const days = await daysOfReceipts(pool, `SELECT receipt_id FROM ${latest}`, [deskId, networkId]);
  const { rows } = await pool.query<ReceiptRow>(
    `SELECT r.* FROM (SELECT * FROM ${latest}) o
     JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       AND r.day = ANY ($3::date[])
     ORDER BY r.id DESC`,
    [deskId, networkId, days],
  );
  const trial: ReadingTrial = { tried: rows.length, changed: 0, mended: 0, broken: 0, examples: [] };
  for (const receipt of rows.map(toReceipt)) {
    const before = readReceipt(receipt, { network, types, file: null });
    const after = readReceipt(receipt, { network: proposed, types, file: null });
    const what = compareReadings(before, after);
    if (what === 'same') continue;
    trial[what] += 1;
    if (what !== 'mended')
      trial.examples.push({
        id: receipt.id,
        what,
        before: readingWords(before, types),
        after: readingWords(after, types),
      });
  }
  trial.examples = [
    ...trial.examples.filter((e) => e.what === 'broken'),
    ...trial.examples.filter((e) => e.what === 'changed'),
  ].slice(0, MAX_EXAMPLES);
  return trial;
}

export interface PreviewGround {
  pool: Pool;
  /** Opened with `pipeline`. */
  judging: Pool;
  now: () => number;
}
interface Asked extends GroupName {
  fix: Parameters<typeof withFix>[1];
  reportDays: number | null;
}

export async function previewRepair(
  { pool, judging, now }: PreviewGround,
  desk: { id: string; zone: string },
  asked: Asked,
): Promise<RepairPreview> {
  const { network } = await loadReading(pool, desk.id, asked.networkId);
  if (!network) throw new Problem('not_found');
  const proposed = withFix(network, asked.fix);
  const [{ count, receipts }, lately] = await Promise.all([
    newestReceipts(pool, desk.id, asked),
    tryReading(pool, desk.id, asked.networkId, proposed),
  ]);
  const sums = new TrialSums(
    desk.zone,
    asked.reportDays === null ? -Infinity : now() - asked.reportDays * DAY_MS,
  );
  const until = now() + PATIENCE_MS;
  let tried = 0;
  for (const chunk of trialChunks(receipts)) {
    if (now() > until) break;
    await inPipeline(
      judging,
      async (client) => {
        client.write('UPDATE parts SET body = $3 WHERE desk_id = $1 AND id = $2', [
          desk.id,
          asked.networkId,
          JSON.stringify(proposed),
        ]);
        const said = await judgeWithin(
          client,
          chunk.map(({ receipt }) => ({ ...receipt, held: false })),
        );
        for (const judgement of said) sums.judged(judgement);
        await sums.booked(
          client,
          desk.id,
          chunk.map((c) => c.receipt.id),
        );
      },
      { isTrial: true },
    );
    tried += chunk.length;
  }
  return { count, tried, ...sums.all(), lately };
}
const DAY_MS = 86_400_000;

interface Tried {
  receipt: ReceiptRecord;
  clickId: string;
}

/** By visit, so that those about one visit are judged in one transaction; in each, in the order in which they came. */
async function newestReceipts(
  pool: Pool,
  deskId: string,
  group: GroupName,
): Promise<{ count: number; receipts: Tried[] }> {
  const [counted, { rows }] = await Promise.all([
    pool.query<{ count: number }>(`SELECT count(*)::int AS count FROM outcomes o WHERE ${ofGroup(2)}`, [
      deskId,
      ...groupValues(group),
    ]),
    pool.query<ReceiptRow & { click_id: string }>(
      `SELECT r.*, o.click_id FROM (SELECT * FROM outcomes o WHERE ${ofGroup(2)} ORDER BY o.receipt_id DESC LIMIT ${MAX_PREVIEWED}) o
       JOIN receipts r ON r.desk_id = o.desk_id AND r.id = o.receipt_id AND ${dayOfReceipt('r.day', 'o.received_at')}
       ORDER BY o.click_id, r.id`,
      [deskId, ...groupValues(group)],
    ),
  ]);
  const receipts = rows.map((row) => ({ receipt: toReceipt(row), clickId: row.click_id }));
  return { count: counted.rows[0]!.count, receipts };
}

/** Those about one visit stay together, as what one of them books matters to the next. */
export function trialChunks<T extends { clickId: string }>(all: readonly T[]): T[][] {
  const made: T[][] = [];
  for (const one of all) {
    const last = made.at(-1);
    const isSameVisit = one.clickId !== '' && last?.at(-1)?.clickId === one.clickId;
    if (last && (last.length < TOGETHER || isSameVisit)) last.push(one);
    else made.push([one]);
  }
  return made;
}

/** What the trials came to. */
class TrialSums {
  private readonly outcomes = new Map<Judgement['outcome'], number>();
  private readonly money = new Map<string, bigint>();
  private readonly days = new Map<string, { hold: bigint; earn: bigint }>();
  private readonly postbacks = new Map<string, { count: number; recent: number }>();

  constructor(
    private readonly zone: string,
    private readonly recentSince: number,
  ) {}

  judged({ outcome }: Judgement): void {
    this.outcomes.set(outcome, (this.outcomes.get(outcome) ?? 0) + 1);
  }

  /** Within the transaction: what these receipts booked in it, and the postbacks that it made. */
  async booked(client: Pipelined, deskId: string, receiptIds: readonly string[]): Promise<void> {
    const [ledger, outbox] = await Promise.all([
      client.query<{ kind: 'hold' | 'earn'; currency: string; delta: string; base: string | null; at: Date }>(
        `SELECT l.kind, l.currency, l.delta_micros AS delta, l.base_delta_micros AS base, c.converted_at AS at
         FROM ledger l JOIN conversions c ON c.id = l.conversion_id
         WHERE l.desk_id = $1 AND l.receipt_id = ANY ($2) AND l.kind IN ('hold', 'earn') AND NOT c.is_test`,
        [deskId, receiptIds],
      ),
      // Made in this transaction: the default of the column is the moment when it began.
      client.query<{ name: string; at: Date }>(
        `SELECT s.name, c.converted_at AS at FROM outbox b JOIN conversions c ON c.id = b.conversion_id
         JOIN parts s ON s.id = b.destination_id AND s.kind = 'source' WHERE b.desk_id = $1 AND b.created_at = now()`,
        [deskId],
      ),
    ]);
    for (const { kind, currency, delta, base, at } of ledger.rows) {
      const key = `${kind}|${currency}`;
      this.money.set(key, (this.money.get(key) ?? 0n) + BigInt(delta));
      const day = localDay(at.getTime(), this.zone);
      const sum = this.days.get(day) ?? { hold: 0n, earn: 0n };
      sum[kind] += BigInt(base ?? 0);
      this.days.set(day, sum);
    }
    for (const { name, at } of outbox.rows) {
      const { count, recent } = this.postbacks.get(name) ?? { count: 0, recent: 0 };
      const isRecent = at.getTime() >= this.recentSince;
      this.postbacks.set(name, { count: count + 1, recent: recent + (isRecent ? 1 : 0) });
    }
  }

  all(): Pick<RepairPreview, 'outcomes' | 'money' | 'byDay' | 'postbacks'> {
    return {
      outcomes: [...this.outcomes].map(([outcome, count]) => ({ outcome, count })),
      money: [...this.money]
        .filter(([, micros]) => micros !== 0n)
        .map(([key, micros]) => {
          const [kind, currency] = key.split('|') as ['hold' | 'earn', string];
          return { kind, currency, micros: micros.toString() };
        }),
      byDay: [...this.days]
        .map(([day, { hold, earn }]) => ({ day, holdMicros: `${hold}`, earnMicros: `${earn}` }))
        .sort((a, b) => (a.day < b.day ? -1 : 1)),
      postbacks: [...this.postbacks].map(([sourceName, n]) => ({ sourceName, ...n })),
    };
  }
}
