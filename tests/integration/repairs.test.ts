/** Groups of postbacks that need repair: what a fix would do, the run that does it, and its undoing. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  NetworkFix,
  PartRecord,
  ReadingTrial,
  ReceiptBatch,
  RepairGroup,
  RepairPreview,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
beforeAll(async () => {
  desk = await makeDesk();
});
afterAll(() => desk.close());

const groups = async (chain: Chain): Promise<RepairGroup[]> =>
  (await desk.owner.get<RepairGroup[]>('/repair-groups')).body.filter(
    (g) => g.networkId === chain.network.id,
  );
const asked = (group: RepairGroup, fix: NetworkFix, reportDays: number | null = 3) => ({
  networkId: group.networkId,
  outcome: group.outcome,
  reason: group.reason,
  key: group.key,
  fix,
  reportDays,
});
const preview = async (...of: Parameters<typeof asked>): Promise<RepairPreview> => {
  const answer = await desk.owner.post<RepairPreview>('/repair-groups/preview', asked(...of));
  expect(answer.status).toBe(200);
  return answer.body;
};
const repair = async (...of: Parameters<typeof asked>): Promise<ReceiptBatch> =>
  ended((await desk.owner.post<ReceiptBatch>('/repair-groups/repair', asked(...of))).body);
async function ended({ id }: { id: string }, state = 'done'): Promise<ReceiptBatch> {
  await until(
    async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body.state === state,
    `the batch to be ${state}`,
  );
  return (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body;
}
const undo = async (batch: ReceiptBatch): Promise<ReceiptBatch> => {
  const answer = await desk.owner.post<ReceiptBatch>(`/receipt-batches/${batch.id}/undo`, {});
  expect(answer.status).toBe(200);
  return ended(batch, 'undone');
};
const networkNow = async (chain: Chain) =>
  (await desk.owner.get<PartRecord<'network'>[]>('/parts/network')).body.find(
    (p) => p.id === chain.network.id,
  )!;
/** Sums of the ledger, and conversions, of one network. */
async function books(chain: Chain) {
  const { rows } = await desk.pool.query<{ hold: string; earn: string; n: number }>(
    `SELECT coalesce(sum(l.delta_micros) FILTER (WHERE l.kind = 'hold'), 0)::text AS hold,
       coalesce(sum(l.delta_micros) FILTER (WHERE l.kind = 'earn'), 0)::text AS earn,
       (SELECT count(*)::int FROM conversions WHERE desk_id = $1 AND network_id = $2) AS n
     FROM ledger l WHERE l.desk_id = $1 AND l.conversion_id IN (
       SELECT id FROM conversions WHERE desk_id = $1 AND network_id = $2
       UNION SELECT conversion_id FROM ledger WHERE desk_id = $1 AND receipt_id IN (SELECT id FROM receipts WHERE network_id = $2))`,
    [desk.deskId, chain.network.id],
  );
  return rows[0]!;
}

describe('postbacks with a status that is not mapped', () => {
  let chain: Chain;
  let batch: ReceiptBatch;
  beforeAll(async () => {
    chain = await desk.chain({
      source: {
        ...({} as object),
        name: 'Moorhen Push repairs',
        macroStyle: '[x]',
        parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
        costUnit: 'visit',
        costCurrency: 'EUR',
        postbackUrl: 'https://postback.moorhen.example/?clk={source_click_id}&s={status}',
        reportStatuses: ['pending', 'approved'],
      },
    });
    for (let n = 0; n < 4; n++) {
      const id = await chain.send(`clk=r${n}`);
      const said = await desk.say(
        chain.network.key,
        `click_id=${id}&payout=4.00&currency=EUR&transaction=R-${n}&status=${n === 3 ? 'HLD' : 'hld'}`,
      );
      expect(said.outcome).toBe('repair');
    }
  });

  it('are one group, with what waits in it and the offer', async () => {
    const [group, ...more] = await groups(chain);
    expect(more).toEqual([]);
    expect(group).toMatchObject({
      reason: 'unmapped_status',
      key: 'hld',
      count: 4,
      waiting: [{ currency: 'EUR', micros: '16000000' }],
      offerNames: [chain.offer.body.name],
    });
  });

  it('show before the fix what would become of them; nothing of it is kept', async () => {
    const before = await books(chain);
    const [group] = await groups(chain);
    const would = await preview(group!, { kind: 'status_word', word: 'hld', means: 'pending' });
    expect(would).toMatchObject({
      count: 4,
      tried: 4,
      outcomes: [{ outcome: 'accepted', count: 4 }],
      money: [{ kind: 'hold', currency: 'EUR', micros: '16000000' }],
      postbacks: [{ count: 4, recent: 4 }],
      lately: { tried: 4, changed: 0, broken: 0, mended: 4 },
    });
    expect(would.byDay).toEqual([{ day: expect.any(String), holdMicros: '16000000', earnMicros: '0' }]);
    expect(await books(chain)).toEqual(before);
    expect((await groups(chain))[0]!.count).toBe(4);
    expect((await networkNow(chain)).version).toBe(chain.network.version);
  });

  it('are booked by the fix, once; the network’s change is one version with it', async () => {
    const [group] = await groups(chain);
    batch = await repair(group!, { kind: 'status_word', word: 'hld', means: 'pending' });
    expect(batch).toMatchObject({
      kind: 'repair',
      state: 'done',
      total: 4,
      finished: 4,
      results: [{ outcome: 'accepted', count: 4 }],
      by: 'Owner',
    });
    expect(batch.words).toContain('status “hld” means pending');
    expect(await groups(chain)).toEqual([]);
    expect(await books(chain)).toEqual({ hold: '16000000', earn: '0', n: 4 });
    expect((await networkNow(chain)).body.statusWords).toContainEqual({ word: 'hld', means: 'pending' });
    // Nothing is left to repair a second time.
    const again = await desk.owner.post('/repair-groups/repair', asked(group!, { kind: 'none' }));
    expect(again.status).toBe(409);
  });

  it('need repair again once it is undone: the ledger gets the difference, the network its words', async () => {
    // A word that another member has mapped meanwhile stays.
    const now = await networkNow(chain);
    await desk.owner.put(`/parts/network/${now.id}`, {
      version: now.version,
      body: { ...now.body, statusWords: [...now.body.statusWords, { word: 'fine', means: 'approved' }] },
    });
    expect(await undo(batch)).toMatchObject({ state: 'undone', finished: 0 });
    expect(await books(chain)).toEqual({ hold: '0', earn: '0', n: 0 });
    expect((await groups(chain))[0]).toMatchObject({ count: 4, key: 'hld' });
    const words = (await networkNow(chain)).body.statusWords.map((w) => w.word);
    expect([words.includes('hld'), words.includes('fine')]).toEqual([false, true]);
    const twice = await desk.owner.post(`/receipt-batches/${batch.id}/undo`, {});
    expect(twice.status).toBe(409);
    // And can be repaired once more, as something else.
    const [group] = await groups(chain);
    await repair(group!, { kind: 'status_word', word: 'hld', means: 'approved' });
    expect(await books(chain)).toEqual({ hold: '0', earn: '16000000', n: 4 });
  });
});

describe('a fix', () => {
  it('of the decimal mark is tried on the last postbacks: it says which would no longer be understood', async () => {
    const chain = await desk.chain();
    const id = await chain.send();
    await desk.say(chain.network.key, `click_id=${id}&payout=12.50&transaction=D1`);
    await desk.say(chain.network.key, `click_id=${id}&payout=1,234&transaction=D2`);
    const [group] = await groups(chain);
    expect(group).toMatchObject({ reason: 'unreadable_payout', key: 'ambiguous' });
    const comma = await preview(group!, { kind: 'decimal_mark', mark: ',' });
    expect(comma.lately).toMatchObject({ tried: 2, broken: 1, mended: 1 });
    expect(comma.lately.examples[0]).toMatchObject({
      what: 'broken',
      before: expect.stringContaining('12.50'),
    });
    const point = await preview(group!, { kind: 'decimal_mark', mark: '.' });
    expect(point.lately).toMatchObject({ broken: 0, mended: 1 });
    expect(point.money).toEqual([{ kind: 'earn', currency: 'EUR', micros: '1234000000' }]);
  });

  it('reaches the others where one of them can’t be processed, and says so', async () => {
    const chain = await desk.chain();
    const [good, bad] = [await chain.send(), await chain.send()];
    for (const id of [good, bad]) await desk.say(chain.network.key, `click_id=${id}&payout=2&status=odd`);
    // A visit that no record fits: no way of the product leads there.
    await desk.pool.query(`UPDATE visits SET source_id = 'gone' WHERE desk_id = $1 AND id = $2`, [
      desk.deskId,
      bad,
    ]);
    const [group] = await groups(chain);
    const batch = await repair(group!, { kind: 'status_word', word: 'odd', means: 'approved' });
    expect(batch.problem).toContain('could not process');
    expect(batch.results).toContainEqual({ outcome: 'accepted', count: 1 });
    expect((await books(chain)).n).toBe(1);
  });

  it('names the parameter that carries the click ID, by what the postbacks themselves have', async () => {
    const chain = await desk.chain();
    const id = await chain.send();
    await desk.say(chain.network.key, `s3=${id}&payout=2`);
    const [group] = await groups(chain);
    expect(group).toMatchObject({ reason: 'no_click_id', clickIdIn: [{ parameter: 's3', count: 1 }] });
    await repair(group!, { kind: 'parameter', field: 'click_id', parameter: 's3' });
    expect((await books(chain)).n).toBe(1);
    expect((await desk.say(chain.network.key, `s3=${id}&payout=2`)).outcome).toBe('duplicate');
  });

  it('maps a currency’s word, an event’s word, and takes a negative payout for a refund', async () => {
    const chain = await desk.chain();
    const event = await desk.make('event-type', { name: `Sign-up ${chain.network.key}`, word: 'never' });
    const id = await chain.send();
    await desk.say(chain.network.key, `click_id=${id}&payout=2&currency=EURO&transaction=C1`);
    await desk.say(chain.network.key, `click_id=${id}&payout=3&event=lead&transaction=C2`);
    const now = await networkNow(chain);
    await desk.owner.put(`/parts/network/${now.id}`, {
      version: now.version,
      body: { ...now.body, negativeMeans: 'error' },
    });
    await desk.say(chain.network.key, `click_id=${id}&payout=-2&transaction=C1`);
    const of = async (reason: string) => (await groups(chain)).find((g) => g.reason === reason)!;
    await repair(await of('unreadable_currency'), { kind: 'currency_word', word: 'EURO', currency: 'EUR' });
    await repair(await of('unmapped_event'), { kind: 'event_word', word: 'lead', eventTypeId: event.id });
    expect((await books(chain)).earn).toBe('5000000');
    await repair(await of('unreadable_payout'), { kind: 'negative' });
    expect((await books(chain)).earn).toBe('3000000');
    expect(await groups(chain)).toEqual([]);
  });

  it('accepts the address of those that were held; undone, they are held again', async () => {
    const chain = await desk.chain({
      network: { name: 'Larkspur strict', allowedAddresses: ['203.0.113.9'] },
    });
    const id = await chain.send('', {});
    await desk.say(chain.network.key, `click_id=${id}&payout=2`);
    const [group] = await groups(chain);
    expect(group).toMatchObject({ outcome: 'held', reason: 'address_not_listed' });
    const batch = await repair(group!, { kind: 'address', range: group!.detail });
    expect(batch.results).toEqual([{ outcome: 'accepted', count: 1 }]);
    await undo(batch);
    expect((await groups(chain))[0]).toMatchObject({ outcome: 'held', count: 1 });
    expect((await networkNow(chain)).body.allowedAddresses).toEqual(['203.0.113.9']);
    expect((await books(chain)).n).toBe(0);
  });

  it('reports no conversion to the source that is older than the days asked for', async () => {
    const chain = await desk.chain({
      source: {
        name: 'Moorhen Push old',
        macroStyle: '[x]',
        parameters: [{ parameter: 'clk', macro: '[click]', role: 'click_id' }],
        costUnit: 'visit',
        costCurrency: 'EUR',
        postbackUrl: 'https://postback.moorhen.example/?clk={source_click_id}',
        reportStatuses: ['approved'],
      },
    });
    const id = await chain.send('clk=old');
    const time = new Date(Date.now() - 5 * 86_400_000).toISOString();
    await desk.say(chain.network.key, `click_id=${id}&payout=2&status=gut&conversion_time=${time}`);
    const [group] = await groups(chain);
    const fix: NetworkFix = { kind: 'status_word', word: 'gut', means: 'approved' };
    expect((await preview(group!, fix)).postbacks).toMatchObject([{ count: 1, recent: 0 }]);
    await repair(group!, fix, 3);
    const { rows } = await desk.pool.query(
      'SELECT c.reported, o.id FROM conversions c LEFT JOIN outbox o ON o.conversion_id = c.id WHERE c.click_id = $1',
      [id],
    );
    expect(rows).toEqual([{ reported: false, id: null }]);
  });
});

describe('a change of a network’s reading, wherever it is made', () => {
  it('is tried on its last postbacks', async () => {
    const chain = await desk.chain();
    const id = await chain.send();
    await desk.say(chain.network.key, `click_id=${id}&payout=2&status=ok`);
    await desk.say(chain.network.key, `click_id=${id}&payout=2&status=wait`);
    const { body } = await networkNow(chain);
    const statusWords = body.statusWords.filter((w) => w.word !== 'wait');
    const answer = await desk.owner.post<ReadingTrial>(`/parts/network/${chain.network.id}/try`, {
      body: {
        ...body,
        statusWords: statusWords.map((w) => (w.word === 'ok' ? { ...w, means: 'pending' } : w)),
      },
    });
    expect(answer.body).toMatchObject({ tried: 2, changed: 1, broken: 1, mended: 0 });
    expect(answer.body.examples.map((e) => e.what)).toEqual(['broken', 'changed']);
    expect(
      (await desk.owner.post(`/parts/network/${chain.network.id}/try`, { body: { name: '' } })).status,
    ).toBe(422);
  });
});

it('goes on with what it has when its process died while it took its postbacks', async () => {
  const chain = await desk.chain({ network: { name: 'Larkspur that died' } as never });
  for (const n of [1, 2, 3])
    await desk.say(chain.network.key, `click_id=${await chain.send()}&payout=2&transaction=L${n}&status=hld`);
  const [group] = await groups(chain);
  expect(group).toMatchObject({ count: 3 });
  const fix: NetworkFix = { kind: 'status_word', word: 'hld', means: 'pending' };
  const { body, version } = await networkNow(chain);
  const changed = await desk.owner.put(`/parts/network/${chain.network.id}`, {
    version,
    body: { ...body, statusWords: [...body.statusWords, { word: 'hld', means: 'pending' }] },
  });
  expect(changed.status).toBe(200);
  // As the dead process left it: two of three are marked, and the run has not begun.
  const { rows } = await desk.pool.query<{ id: string }>(
    `INSERT INTO receipt_batches (id, desk_id, kind, network_id, words, settings, state, total, made_by, changed_at)
     SELECT 'L' || substr(max(receipt_id), 2), $1, 'repair', $2, 'lost', $3, 'draft', 2, '', now() - interval '2 minutes'
     FROM outcomes WHERE desk_id = $1 AND network_id = $2 RETURNING id`,
    [
      desk.deskId,
      chain.network.id,
      JSON.stringify({ fix, before: body, reportSinceMs: null, wereHeld: false }),
    ],
  );
  const { id } = rows[0]!;
  await desk.pool.query(
    `UPDATE outcomes SET repaired_by = $3 WHERE desk_id = $1 AND network_id = $2 AND receipt_id IN (
       SELECT receipt_id FROM outcomes WHERE desk_id = $1 AND network_id = $2 AND reason = 'unmapped_status' ORDER BY 1 LIMIT 2)`,
    [desk.deskId, chain.network.id, id],
  );
  await until(async () => (await books(chain)).n === 2, 'the two to be booked');
  expect(await groups(chain)).toMatchObject([{ count: 1 }]);
});
