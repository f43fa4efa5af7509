/**
 * What reports do to visits: 500 visits a second, evenly, first alone, then while several members keep asking Numbers for
 * tables of two levels with verdicts, each as soon as the last is answered.
 *   npm run bench:reports -- --json --visits=200000
 * What would make it lie: a load that waits for slow answers before it asks again (each visit is due at its moment, and its
 * time counts from there); reports that are refused or empty (each must have rows, asserted); too few questions (their number
 * is printed, and must not be small); durability off (asserted on); one lucky pause (the load alone is measured before and
 * after, and the slower of the two counts).
 */
import { numbersAsked, type NumbersAnswer, type NumbersState } from '@tracheon/core/contract';
import { setTimeout as pause } from 'node:timers/promises';
import { copiedVisits, ownersApi } from './files.ts';
import { assertDurable, atMost, finish, load, makeScene, round, say, secondsOr, tracheon } from './run.ts';

const visitsBefore = Number(process.argv.find((a) => a.startsWith('--visits='))?.slice(9) ?? 200_000);
const PER_SECOND = 500;
const CONNECTIONS = 64;
/** Members who ask, each one question at a time. */
const ASKING = 3;
/** Fewer say nothing of reports. */
const LEAST_QUESTIONS = 30;
const seconds = secondsOr(60);
const scene = await makeScene(process.env.DATABASE_URL!, 20);
const settings = await assertDurable(scene.client);
const first = await tracheon(process.env.DATABASE_URL!);
await copiedVisits(scene, first, visitsBefore);
await first.stop();
// The copies are of one visit; sites make them a table.
await scene.client.query(
  `UPDATE visits SET subs = jsonb_build_object('site', 's' || (hashtext(id) & 2047), 'zone', 'z' || (hashtext(id) & 63))`,
);
const server = await tracheon(process.env.DATABASE_URL!, 'on');
const api = await ownersApi(scene, server);
while ((await api<NumbersState>('GET', '/reports/numbers/state')).state !== 'ready') await pause(500);

let from = 0;
async function visits(what: string, length = seconds): Promise<number> {
  const requests = { kind: 'visits' as const, keys: scene.campaignKeys };
  const at = { host: server.host, port: server.port, requests, from, perSecond: PER_SECOND };
  const found = await load({ ...at, connections: CONNECTIONS, seconds: length });
  from = found.next;
  if (Object.keys(found.statuses).join() !== '302')
    throw new Error(`answers were ${JSON.stringify(found.statuses)}`);
  say(`${what}: ${found.perSecond}/s, median ${found.p50Ms} ms, p99 ${found.p99Ms} ms`);
  return found.p99Ms;
}

const day = (ms: number): string => new Date(ms).toISOString().slice(0, 10);
const DAY_MS = 86_400_000;
const asked = numbersAsked.parse({
  from: day(Date.now() - 30 * DAY_MS),
  to: day(Date.now() + DAY_MS),
  by: ['campaign_id', 'sub_site'],
  verdicts: true,
});
const took: number[] = [];
let isAsking = true;
async function member(): Promise<void> {
  while (isAsking) {
    const began = performance.now();
    const { rows } = await api<NumbersAnswer>('POST', '/reports/numbers', asked);
    if (rows.length === 0) throw new Error('a report had no rows');
    took.push(performance.now() - began);
  }
}

await visits('warming up', 10);
const before = await visits('alone');
const members = Promise.all(Array.from({ length: ASKING }, member));
const beside = await visits('beside reports');
isAsking = false;
await members;
const after = await visits('alone again');
await server.stop();
if (took.length < LEAST_QUESTIONS) throw new Error(`only ${took.length} reports were answered`);
took.sort((a, b) => a - b);
const figures = {
  visitsBefore,
  visitsPerSecond: PER_SECOND,
  aloneP99Ms: { before, after },
  besideP99Ms: beside,
  reports: took.length,
  reportMedianMs: round(took[Math.floor(took.length / 2)]!, 0),
  ratio: round(beside / Math.max(before, after)),
  ...settings,
};
finish(figures, [atMost('ratio', figures.ratio, 1.5)]);
