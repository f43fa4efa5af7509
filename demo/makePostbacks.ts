/** Postbacks in of the demo desk, as the two networks would have sent them: late, changing, now and then twice or broken. */
import { makeUlid } from '@tracheon/core/identity';
import { fromPartner, type ReceiptRecord } from '@tracheon/server/events/rows.ts';
import { decisionsOf } from '@tracheon/practice/habits/decisions.ts';
import type { Lead } from '@tracheon/practice/affiliate/leads.ts';
import { words } from '@tracheon/practice/affiliate/leads.ts';
import type { Random } from '@tracheon/practice/habits/random.ts';
import { orderDelayMs } from '@tracheon/practice/habits/traffic.ts';
import type { CampaignPlan } from './plans.ts';
import type { DemoVisit } from './makeVisits.ts';

const HOUR_MS = 3_600_000;
const TWICE_SHARE = 0.04;

export interface CallTarget {
  deskId: string;
  networkId: string;
  intakeKey: string;
  style: 'larkspur' | 'saltmarsh';
}

export function makePostbacks(
  plan: CampaignPlan,
  visits: readonly DemoVisit[],
  target: CallTarget,
  nowMs: number,
  random: Random,
): { postbacks: ReceiptRecord[]; open: Lead[] } {
  const postbacks: ReceiptRecord[] = [];
  const open: Lead[] = [];
  const send = (at: number, query: string): void => {
    if (at >= nowMs - 1000) return;
    postbacks.push(receipt(target, at, query, random));
    if (random() < TWICE_SHARE && at + 4000 < nowMs)
      postbacks.push(receipt(target, at + 4000, query, random));
  };
  for (const visit of visits) {
    if (random() >= visit.odds) continue;
    const at = visit.row.atMs + orderDelayMs(random);
    const order = Math.floor(random() * 1e8)
      .toString(36)
      .toUpperCase()
      .padStart(6, '0');
    if (target.style === 'saltmarsh') send(at, saltmarshCall(plan, visit.row.id, order, random));
    else {
      const lead = larkspurLife(plan, visit.row.id, order, at, nowMs, random, send);
      if (lead) open.push(lead);
    }
  }
  return { postbacks, open };
}

function saltmarshCall(plan: CampaignPlan, clickId: string, order: string, random: Random): string {
  // The fixed offer's payout comes along all the same, with a comma as decimal mark.
  const amount = (plan.payout * (plan.offer === 'kites' ? 0.8 + random() * 0.5 : 1))
    .toFixed(2)
    .replace('.', ',');
  return `sid=${clickId}&amount=${amount}&order=S${order}`;
}

/**
 * Pending first; decided after one to six days; a few are reversed later. What has still to happen is handed to the practice
 * network, as a lead of its own; null when nothing has.
 */
function larkspurLife(
  plan: CampaignPlan,
  clickId: string,
  order: string,
  at: number,
  nowMs: number,
  random: Random,
  send: (at: number, query: string) => void,
): Lead | null {
  const id = `LK-${order}`;
  const amount = plan.payout.toFixed(2);
  const say = (when: number, status: string): void =>
    send(
      when,
      `click_id=${clickId}&payout=${amount}&currency=EUR&transaction=${id}&event=order&status=${status}&conversion_time=${Math.floor(at / 1000)}&changed_time=${Math.floor(when / 1000)}`,
    );
  say(at, words.waiting);
  // Since three days the network says *review* of some: a word that nobody has mapped yet.
  if (at > nowMs - 3 * 24 * HOUR_MS && random() < 0.15) say(at + HOUR_MS, 'review');
  const steps = decisionsOf(at, random);
  for (const step of steps) say(step.at, words[step.state]);
  // As `send` does it: what is younger has not been said.
  const said = steps.filter((step) => step.at < nowMs - 1000);
  const toCome = steps.slice(said.length);
  if (at >= nowMs - 1000 || toCome.length === 0) return null;
  const state = said.at(-1)?.state ?? 'waiting';
  return { id, at, offer: plan.offer, ref: clickId, amount, event: 'order', state, calls: [], toCome };
}

/** Hand-offs that went wrong, to be found: each is explained on the Postbacks in screen. */
export function brokenPostbacks(
  target: CallTarget,
  someClickIds: readonly string[],
  nowMs: number,
  random: Random,
): ReceiptRecord[] {
  const hours = (n: number): number => nowMs - n * HOUR_MS;
  const ok = someClickIds;
  return [
    receipt(
      target,
      hours(3.1),
      'click_id=%23reff%23&payout=4.00&currency=EUR&transaction=LK-U1&event=extra&status=ok',
      random,
    ),
    receipt(
      target,
      hours(2.6),
      'click_id=%23reff%23&payout=4.00&currency=EUR&transaction=LK-U2&event=extra&status=ok',
      random,
    ),
    receipt(target, hours(1.9), 'click_id=&payout=4.00&currency=EUR&event=extra&status=ok', random),
    receipt(
      target,
      hours(26),
      `click_id=${ok[0] ?? ''}&payout=18.00&currency=EUR&transaction=LK-H1&event=order&status=hold`,
      random,
    ),
    // Of the word that nobody has mapped there is one in any case, however few orders there were.
    receipt(
      target,
      hours(20),
      `click_id=${ok[2] ?? ''}&payout=18.00&currency=EUR&transaction=LK-R1&event=order&status=review`,
      random,
    ),
    receipt(
      target,
      hours(5),
      `click_id=${ok[1] ?? ''}&payout=1,234&currency=EUR&transaction=LK-P1&event=order&status=ok`,
      random,
    ),
    receipt(
      target,
      hours(8),
      'click_id=01J00000000000000000000000&payout=18.00&currency=EUR&transaction=LK-X1&event=order&status=ok',
      random,
    ),
  ];
}

function receipt(target: CallTarget, moment: number, query: string, random: Random): ReceiptRecord {
  const at = Math.floor(moment);
  return {
    deskId: target.deskId,
    id: makeUlid(
      at,
      Array.from({ length: 16 }, () => Math.floor(random() * 32)),
    ),
    receivedMs: at,
    networkId: target.networkId,
    method: 'GET',
    path: `/in/${target.intakeKey}`,
    query,
    body: '',
    contentType: '',
    headers: { 'user-agent': 'practice' },
    ...fromPartner,
    addressPrefix: '192.0.2.0/24',
  };
}
