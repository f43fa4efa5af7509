/** Troubles that postbacks show, in and out: fewer match, a new word, fewer approved, a source that does not take ours. */
import type { Pool } from 'pg';
import type { SignalKind } from '@tracheon/core/contract';
import { shareFell, sureWords } from '@tracheon/core/signalWatches';
import { ulidAt } from '../db/pooledUlid.ts';
import type { FoundSignal } from './reconcile.ts';

const DAY_MS = 86_400_000;
export const postbackKinds: readonly SignalKind[] = [
  'match_falls',
  'new_word',
  'approval_falls',
  'sends_fail',
];

export async function postbackSignals(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  return (
    await Promise.all([
      matchFalls(pool, deskId, nowMs),
      newWords(pool, deskId, nowMs),
      approvalFalls(pool, deskId, nowMs),
      sendsFail(pool, deskId, nowMs),
    ])
  ).flat();
}

const percent = (of: number, all: number): string => `${Math.round((of / all) * 100)} %`;
const NO_VISIT = ['no_click_id', 'click_unsubstituted', 'unknown_click', 'unknown_transaction', 'no_cookie'];
const MATCH_BEFORE_DAYS = 14;

async function matchFalls(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{
    id: string;
    name: string;
    now: number;
    all: number;
    before: number;
    all_before: number;
  }>(
    `SELECT n.id, n.name, o.* FROM (SELECT network_id,
         count(*) FILTER (WHERE receipt_id > $3 AND reason <> ALL ($4))::int AS now, count(*) FILTER (WHERE receipt_id > $3)::int AS all,
         count(*) FILTER (WHERE receipt_id <= $3 AND reason <> ALL ($4))::int AS before, count(*) FILTER (WHERE receipt_id <= $3)::int AS all_before
       FROM outcomes WHERE desk_id = $1 AND receipt_id > $2 AND NOT is_test AND outcome <> 'queued' GROUP BY 1) o
     JOIN parts n ON n.id = o.network_id`,
    [deskId, ulidAt(nowMs - (MATCH_BEFORE_DAYS + 1) * DAY_MS), ulidAt(nowMs - DAY_MS), NO_VISIT],
  );
  return rows.flatMap(({ id, name, now, all, before, all_before }): FoundSignal[] => {
    const sure = shareFell({ of: now, all }, { of: before, all: all_before }, { least: 0.1, fewest: 20 });
    if (sure === null) return [];
    return [
      {
        kind: 'match_falls',
        subject: id,
        name,
        group: id,
        groupName: name,
        sinceMs: nowMs - DAY_MS,
        sentence: `${name}: ${percent(now, all)} of ${all} postbacks of the last 24 hours match a visit; before it was ${percent(before, all_before)}.`,
        sure: sureWords(sure),
        advice: 'Open the postbacks that need repair: each says why it matches nothing.',
        to: '/conversions/needs-repair',
      },
    ];
  });
}

const WORD_DAYS = 7;
async function newWords(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{
    id: string;
    name: string;
    reason: string;
    word: string;
    n: number;
    since: Date;
  }>(
    `SELECT n.id, n.name, o.reason, left(o.detail, 60) AS word, count(*)::int AS n, min(o.received_at) AS since
     FROM outcomes o JOIN parts n ON n.id = o.network_id
     WHERE o.desk_id = $1 AND o.outcome = 'repair' AND o.receipt_id > $2 AND NOT o.is_test
       AND o.reason IN ('unmapped_status', 'unmapped_event') AND o.detail <> '' GROUP BY 1, 2, 3, 4 ORDER BY n DESC LIMIT 100`,
    [deskId, ulidAt(nowMs - WORD_DAYS * DAY_MS)],
  );
  return rows.map(({ id, name, reason, word, n, since }) => {
    const what = reason === 'unmapped_status' ? 'status' : 'event name';
    return {
      kind: 'new_word',
      subject: `${id} ${reason} ${word}`,
      name,
      group: id,
      groupName: name,
      sinceMs: since.getTime(),
      sentence: `${name} sends the ${what} “${word}”, which is not mapped: ${n} ${n === 1 ? 'postback waits' : 'postbacks wait'}.`,
      sure: '',
      advice: 'Map it in the network. The postbacks that wait are then booked.',
      to: `/parts/network?open=${id}`,
    };
  });
}

const DECIDED_DAYS = 7;
const DECIDED_BEFORE_DAYS = 30;
async function approvalFalls(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{
    id: string;
    name: string;
    network_id: string;
    network: string;
    now: number;
    all: number;
    before: number;
    all_before: number;
  }>(
    `SELECT o.id, o.name, n.id AS network_id, n.name AS network, c.* FROM (SELECT offer_id,
         count(*) FILTER (WHERE updated_at > $3 AND status = 'approved')::int AS now, count(*) FILTER (WHERE updated_at > $3)::int AS all,
         count(*) FILTER (WHERE updated_at <= $3 AND status = 'approved')::int AS before, count(*) FILTER (WHERE updated_at <= $3)::int AS all_before
       FROM conversions WHERE desk_id = $1 AND updated_at > $2 AND NOT is_test AND status IN ('approved', 'rejected', 'reversed') GROUP BY 1) c
     JOIN parts o ON o.id = c.offer_id JOIN parts n ON n.id = o.body->>'networkId'`,
    [
      deskId,
      new Date(nowMs - (DECIDED_DAYS + DECIDED_BEFORE_DAYS) * DAY_MS),
      new Date(nowMs - DECIDED_DAYS * DAY_MS),
    ],
  );
  return rows.flatMap((r): FoundSignal[] => {
    const sure = shareFell(
      { of: r.now, all: r.all },
      { of: r.before, all: r.all_before },
      { least: 0.1, fewest: 20 },
    );
    if (sure === null) return [];
    return [
      {
        kind: 'approval_falls',
        subject: r.id,
        name: r.name,
        group: r.network_id,
        groupName: r.network,
        sinceMs: nowMs - DECIDED_DAYS * DAY_MS,
        sentence: `${r.name}: ${percent(r.now, r.all)} of ${r.all} conversions decided in the last ${DECIDED_DAYS} days were approved; before it was ${percent(r.before, r.all_before)}.`,
        sure: sureWords(sure),
        advice: `Ask ${r.network} why conversions are rejected, and look which sites they come from.`,
        to: '/money/decisions',
      },
    ];
  });
}

/** Tries without one that was taken. */
const FEWEST_FAILED = 5;
async function sendsFail(pool: Pool, deskId: string, nowMs: number): Promise<FoundSignal[]> {
  const { rows } = await pool.query<{ id: string; name: string; n: number; since: Date; result: string }>(
    `SELECT s.id, s.name, count(*)::int AS n, min(a.at) AS since, (array_agg(a.result ORDER BY a.at DESC))[1] AS result
     FROM attempts a JOIN outbox b ON b.id = a.outbox_id JOIN parts s ON s.id = b.destination_id AND s.kind = 'source'
     WHERE b.desk_id = $1 AND b.id > $2 AND a.at > $3 GROUP BY 1, 2
     HAVING count(*) >= ${FEWEST_FAILED} AND count(*) FILTER (WHERE a.http_status BETWEEN 200 AND 299) = 0`,
    [deskId, ulidAt(nowMs - 3 * DAY_MS), new Date(nowMs - 3_600_000)],
  );
  return rows.map(({ id, name, n, since, result }) => ({
    kind: 'sends_fail',
    subject: id,
    name,
    group: id,
    groupName: name,
    sinceMs: since.getTime(),
    sentence: `${name} took none of your postbacks in the last hour: ${n} tries failed. The last answer: ${result.slice(0, 120)}.`,
    sure: '',
    advice: 'Check the source’s postback URL. Tracheon tries again for a day.',
    to: '/conversions/postbacks-out',
  }));
}
