/** Every acknowledgement against what stands in the database, field by field. */
import { readFileSync } from 'node:fs';
import pg from 'pg';
import { payoutMicros, sentCall, sentVisit, transaction, type Acknowledged } from './sent.ts';

export interface Comparison {
  acknowledged: number;
  /** Calls whose answer had not come, sent again and acknowledged then. */
  retriedUnknown: number;
  lost: number;
  duplicated: number;
  differing: number;
  /** The first few of what is wrong, in words. */
  examples: string[];
}

export async function compare(url: string, run: string, log: string): Promise<Comparison> {
  const acks = readFileSync(log, 'utf8')
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Acknowledged);
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const result: Comparison = {
    acknowledged: acks.length,
    retriedUnknown: acks.filter((a) => a.kind === 'postback' && a.unknown > 0).length,
    lost: 0,
    duplicated: 0,
    differing: 0,
    examples: [],
  };
  const wrong = (what: 'lost' | 'duplicated' | 'differing', words: string): void => {
    result[what] += 1;
    if (result.examples.length < 10) result.examples.push(`${what}: ${words}`);
  };
  await compareVisits(client, run, acks, wrong);
  await compareReceipts(client, run, acks, wrong);
  await compareConversions(client, run, acks, wrong);
  await client.end();
  return result;
}

type Wrong = (what: 'lost' | 'duplicated' | 'differing', words: string) => void;

async function compareVisits(client: pg.Client, run: string, acks: Acknowledged[], wrong: Wrong) {
  const { rows } = await client.query(
    `SELECT v.id, v.source_click_id, v.subs, v.cost_micros, v.cost_currency, v.raw_query, v.address_prefix, v.country,
       v.is_unique, v.is_bot, v.is_repeat, v.is_test, v.at, a.address, a.user_agent
     FROM visits v LEFT JOIN visit_addresses a ON a.desk_id = v.desk_id AND a.day = v.day AND a.visit_id = v.id
     WHERE v.source_click_id LIKE $1`,
    [`${run}-%`],
  );
  const byId = new Map(rows.map((r) => [r.id as string, r]));
  const seen = new Map<string, number>();
  for (const r of rows) seen.set(r.source_click_id, (seen.get(r.source_click_id) ?? 0) + 1);
  for (const [clk, times] of seen) if (times > 1) wrong('duplicated', `visit ${clk} stands ${times} times`);
  for (const ack of acks) {
    if (ack.kind !== 'visit') continue;
    const row = byId.get(ack.id);
    const sent = sentVisit(run, ack.n);
    if (!row) {
      wrong('lost', `visit ${ack.id} (${sent.clk})`);
      continue;
    }
    const { at, ...found } = row;
    const wanted = {
      id: ack.id,
      source_click_id: sent.clk,
      subs: { site: sent.site },
      cost_micros: String(sent.bidMicros),
      cost_currency: 'EUR',
      raw_query: sent.query,
      address_prefix: `${sent.address.split('.').slice(0, 3).join('.')}.0/24`,
      country: 'NL',
      is_unique: true,
      is_bot: false,
      is_repeat: false,
      is_test: false,
      address: sent.address,
      user_agent: sent.agent,
    };
    // A ULID begins with its time: ten characters of Crockford's alphabet.
    const ms = [...ack.id.slice(0, 10)].reduce(
      (t, c) => t * 32 + '0123456789ABCDEFGHJKMNPQRSTVWXYZ'.indexOf(c),
      0,
    );
    const same = (k: keyof typeof wanted): boolean => JSON.stringify(found[k]) === JSON.stringify(wanted[k]);
    const off = (Object.keys(wanted) as (keyof typeof wanted)[]).filter((k) => !same(k));
    if ((at as Date).getTime() !== ms) off.push('id');
    if (off.length > 0)
      wrong('differing', `visit ${ack.id}: ${off.map((k) => `${k} ${found[k]}`).join(', ')}`);
  }
}

async function compareReceipts(client: pg.Client, run: string, acks: Acknowledged[], wrong: Wrong) {
  const { rows } = await client.query<{ query: string; times: string }>(
    `SELECT query, count(*) AS times FROM receipts WHERE query LIKE $1 GROUP BY query`,
    [`%transaction=T-${run}-%`],
  );
  const times = new Map(rows.map((r) => [r.query, Number(r.times)]));
  for (const ack of acks) {
    if (ack.kind !== 'postback') continue;
    const query = sentCall(run, ack.n, ack.id, ack.status);
    const stands = times.get(query) ?? 0;
    if (stands === 0) wrong('lost', `postback ${query}`);
    // Each try may have been kept, whatever became of its answer; more than the tries never.
    if (stands > ack.tries) wrong('duplicated', `postback ${query} stands ${stands} times`);
  }
}

async function compareConversions(client: pg.Client, run: string, acks: Acknowledged[], wrong: Wrong) {
  const { rows } = await client.query(
    `SELECT c.transaction, c.click_id, c.status, c.payout_micros, c.base_micros,
       (SELECT coalesce(sum(base_delta_micros) FILTER (WHERE kind = 'earn'), 0) FROM ledger l WHERE l.desk_id = c.desk_id AND l.conversion_id = c.id) AS earned,
       (SELECT coalesce(sum(base_delta_micros) FILTER (WHERE kind = 'hold'), 0) FROM ledger l WHERE l.desk_id = c.desk_id AND l.conversion_id = c.id) AS held
     FROM conversions c WHERE c.transaction LIKE $1`,
    [`T-${run}-%`],
  );
  const byTransaction = new Map<string, typeof rows>();
  for (const r of rows) byTransaction.set(r.transaction, [...(byTransaction.get(r.transaction) ?? []), r]);
  for (const [t, all] of byTransaction)
    if (all.length > 1) wrong('duplicated', `conversion ${t} stands ${all.length} times`);
  // The second call is sent once the first is acknowledged: what was acknowledged last is what stands.
  const last = new Map(acks.flatMap((a) => (a.kind === 'postback' ? [[a.n, a] as const] : [])));
  for (const [n, ack] of last) {
    const row = byTransaction.get(transaction(run, n))?.[0];
    if (!row) {
      wrong('lost', `conversion ${transaction(run, n)}`);
      continue;
    }
    const amount = String(payoutMicros(n));
    const approved = ack.status === 'ok';
    const found = [row.click_id, row.status, row.payout_micros, row.base_micros, row.earned, row.held];
    const wanted = [
      ack.id,
      approved ? 'approved' : 'pending',
      amount,
      amount,
      approved ? amount : '0',
      approved ? '0' : amount,
    ];
    if (found.join() !== wanted.join())
      wrong('differing', `conversion ${row.transaction}: ${found.join()} instead of ${wanted.join()}`);
  }
}
