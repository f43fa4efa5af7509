/** A network's statement beside what is booked: compared row by row, its differences booked and undone. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import type {
  ImportDraft,
  LineKind,
  Problem,
  ReceiptBatch,
  Statement,
  StatementLine,
} from '@tracheon/core/contract';
import { localDay } from '@tracheon/core/time';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const upload = async (text: string, of = chain): Promise<ImportDraft> =>
  (await desk.owner.upload<ImportDraft>(`/imports?name=june.csv&network=${of.network.id}`, Buffer.from(text)))
    .body;
async function ended(id: string, state = 'done'): Promise<ReceiptBatch> {
  const now = async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body;
  await until(async () => (await now()).state === state, `the run to be ${state}`);
  return now();
}
async function compared(text: string, more: object = {}, of = chain): Promise<Statement> {
  const draft = await upload(text, of);
  const started = await desk.owner.post<ReceiptBatch & Problem>(`/statements/${draft.id}/compare`, {
    ...draft.settings,
    ...more,
  });
  expect([started.status, started.body.fields]).toEqual([200, undefined]);
  await ended(draft.id);
  return read(draft.id);
}
const read = async (id: string): Promise<Statement> =>
  (await desk.owner.get<Statement>(`/statements/${id}`)).body;
const lines = async (id: string, kind: LineKind): Promise<StatementLine[]> =>
  (await desk.owner.get<{ rows: StatementLine[] }>(`/statements/${id}/lines?kind=${kind}`)).body.rows;
const counts = (s: Statement) => Object.fromEntries(s.sums.map((sum) => [sum.kind, sum.count]));
const book = (id: string, kind: LineKind, chosen: string[] = []) =>
  desk.owner.post<ReceiptBatch & Problem>(`/statements/${id}/book`, { kind, lines: chosen });
/** In the zone of the desk, in which the statement's days are. */
const today = (): string => localDay(Date.now(), 'Europe/Brussels');
async function sold(of: Chain, transaction: string, payout: string, status = 'ok'): Promise<string> {
  const id = await of.send();
  await desk.say(
    of.network.key,
    `click_id=${id}&payout=${payout}&transaction=${transaction}&status=${status}`,
  );
  return id;
}
const stands = async (transaction: string) =>
  (await desk.booked()).filter((c) => c.transaction === transaction).map((c) => [c.status, c.payoutMicros]);

it('says what agrees, what differs, and what is missing on either side, with sums', async () => {
  const agrees = await sold(chain, 'S-1', '10');
  await sold(chain, 'S-2', '10');
  await sold(chain, 'S-3', '10', 'wait');
  await sold(chain, 'S-4', '10');
  await sold(chain, 'S-5', '10');
  await sold(chain, 'S-6', '10', 'no');
  const unknown = await chain.send();
  const statement = await compared(
    [
      'click_id,transaction,amount,currency,status,date',
      `${agrees},S-1,10.00,EUR,ok,${today()}`,
      `,S-2,8.00,EUR,ok,${today()}`,
      `,S-3,10.00,EUR,ok,${today()}`,
      `,S-4,10.00,USD,ok,${today()}`,
      `${unknown},S-7,25.00,EUR,ok,${today()}`,
      `,S-1,10.00,EUR,ok,${today()}`,
      `,S-8,7.00,EUR,odd word,${today()}`,
      `,S-6,10.00,EUR,back,${today()}`,
    ].join('\n'),
  );
  expect(counts(statement)).toEqual({
    matched: 2,
    amount_differs: 1,
    status_differs: 1,
    currency_differs: 1,
    missing_here: 1,
    missing_there: 1,
    repeated: 1,
    unreadable: 1,
  });
  expect([statement.from, statement.to]).toEqual([today(), today()]);
  const amounts = statement.sums.find((s) => s.kind === 'amount_differs')!;
  expect([amounts.theirs, amounts.ours]).toEqual([
    [{ currency: 'EUR', micros: '8000000' }],
    [{ currency: 'EUR', micros: '10000000' }],
  ]);
  expect(await lines(statement.batch.id, 'missing_there')).toEqual([
    expect.objectContaining({ transaction: 'S-5', n: null, theirs: null }),
  ]);
  expect((await lines(statement.batch.id, 'unreadable'))[0]!.why).toMatch('odd word');
  expect((await lines(statement.batch.id, 'repeated'))[0]).toMatchObject({
    n: 6,
    why: 'Row 1 is about the same conversion.',
  });
  // Comparing books nothing.
  expect(await stands('S-2')).toEqual([['approved', '10000000']]);
  expect(await stands('S-7')).toEqual([]);
});

it('its differences are booked as the network states them, once, and undone as one', async () => {
  await sold(chain, 'B-1', '10');
  await sold(chain, 'B-2', '10', 'wait');
  const unknown = await chain.send();
  const text = `click_id,transaction,amount,status,date\n,B-1,8.00,ok,${today()}\n,B-2,10.00,ok,${today()}\n${unknown},B-3,25.00,ok,${today()}`;
  const { batch } = await compared(text);
  const [line] = await lines(batch.id, 'amount_differs');
  const first = (await book(batch.id, 'amount_differs', [line!.id])).body;
  await ended(first.id);
  expect(await stands('B-1')).toEqual([['approved', '8000000']]);
  expect((await lines(batch.id, 'amount_differs'))[0]!.bookedBy).toBe(first.id);
  expect((await book(batch.id, 'amount_differs')).body.code).toBe('nothing_to_book');
  for (const kind of ['status_differs', 'missing_here'] as const)
    await ended((await book(batch.id, kind)).body.id);
  expect([await stands('B-2'), await stands('B-3')]).toEqual([
    [['approved', '10000000']],
    [['approved', '25000000']],
  ]);
  expect(counts(await compared(text))).toMatchObject({ matched: 3 });
  // Undone: the line can be booked again.
  await desk.owner.post(`/receipt-batches/${first.id}/undo`);
  await ended(first.id, 'undone');
  expect(await stands('B-1')).toEqual([['approved', '10000000']]);
  await ended((await book(batch.id, 'amount_differs')).body.id);
  expect(await stands('B-1')).toEqual([['approved', '8000000']]);
  // The statement itself booked nothing that could be undone.
  expect((await desk.owner.post<Problem>(`/receipt-batches/${batch.id}/undo`)).body.code).toBe(
    'not_undoable',
  );
});

it('books also where the offer’s conversions come from elsewhere: a member decided it', async () => {
  const [type] = (await desk.owner.get<{ id: string }[]>('/parts/event-type')).body;
  const feed = await desk.chain({
    offer: { conversionsFrom: [{ eventTypeId: type!.id, channel: 'feed' }] },
  });
  const id = await feed.send();
  const { batch } = await compared(`click_id,transaction,amount\n${id},F-1,5.00`, {}, feed);
  const booked = (await book(batch.id, 'missing_here')).body;
  expect((await ended(booked.id)).results).toEqual([{ outcome: 'accepted', count: 1 }]);
});

it('without dates it compares what it has; another desk, a draft, and a second start are refused', async () => {
  const id = await sold(chain, 'D-1', '10');
  const { batch, from, sums } = await compared(`click_id,amount\n${id},10.00`);
  expect([from, sums.map((s) => s.kind)]).toEqual(['', ['matched']]);
  const chosen = await compared(`click_id,amount\n${id},10.00`, { from: today(), to: today() });
  expect(counts(chosen).missing_there).toBeGreaterThan(0);
  const other = await makeDesk();
  expect((await other.owner.get(`/statements/${batch.id}`)).status).toBe(404);
  expect((await other.owner.get(`/statements/${batch.id}/lines`)).status).toBe(404);
  expect((await other.owner.post(`/statements/${batch.id}/book`, { kind: 'missing_here' })).status).toBe(404);
  await other.close();
  const draft = await upload(`click_id,amount\n${id},10.00`);
  expect((await desk.owner.get(`/statements/${draft.id}`)).status).toBe(404);
  expect((await desk.owner.post<Problem>(`/statements/${batch.id}/compare`, draft.settings)).body.code).toBe(
    'not_a_draft',
  );
});
