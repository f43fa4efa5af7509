/** Conversions changed and added by hand: receipts like any other, with a reason, undone as one. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  HandConversion,
  ManyAnswer,
  Problem,
  ReceiptBatch,
  WholeConversion,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const booked = async (clickId: string) => (await desk.booked()).filter((c) => c.clickId === clickId);
const converted = async (query: string): Promise<{ clickId: string; id: string }> => {
  const clickId = await chain.send();
  expect((await desk.say(chain.network.key, `click_id=${clickId}&${query}`)).outcome).toBe('accepted');
  return { clickId, id: (await booked(clickId))[0]!.id };
};
type Answer = ManyAnswer & { batchId: string };
const change = (body: object) => desk.owner.post<Answer & Problem>('/conversions/change', body);
const whole = async (id: string) => (await desk.owner.get<WholeConversion>(`/conversions/${id}`)).body;
async function undo(id: string): Promise<void> {
  expect((await desk.owner.post(`/receipt-batches/${id}/undo`, {})).status).toBe(200);
  await until(
    async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body.state === 'undone',
    'the undoing',
  );
}

describe('a conversion changed by hand', () => {
  it('has the new status and amount with the reason in its history; the ledger gets the difference', async () => {
    const { id } = await converted('payout=5&transaction=H1&status=ok');
    const answer = await change({
      ids: [id],
      status: 'pending',
      payoutMicros: '7500000',
      reason: 'on the phone',
    });
    expect(answer.body).toMatchObject({ changed: 1, unchanged: [] });
    const { conversion, receipts, ledger } = await whole(id);
    expect(conversion).toMatchObject({ status: 'pending', payoutMicros: '7500000' });
    expect(receipts.map((r) => [r.channel, r.outcome, r.reason, r.by])).toEqual([
      ['postback', 'accepted', '', ''],
      ['hand', 'updated', 'on the phone', 'Owner'],
    ]);
    expect(ledger.map((l) => [l.kind, l.deltaMicros])).toEqual([
      ['earn', '5000000'],
      ['earn', '-5000000'],
      ['hold', '7500000'],
    ]);
    await undo(answer.body.batchId);
    expect((await whole(id)).conversion).toMatchObject({ status: 'approved', payoutMicros: '5000000' });
    expect((await whole(id)).receipts).toHaveLength(1);
  });

  it('is the one that was meant, where a visit has several that nothing tells apart', async () => {
    const type = await desk.make('event-type', { name: 'Renewal', word: 'renew', repeats: true });
    const clickId = await chain.send();
    for (const payout of [3, 4])
      await desk.say(chain.network.key, `click_id=${clickId}&event=renew&payout=${payout}`);
    const [first, second] = (await booked(clickId)).sort((a, b) =>
      a.payoutMicros < b.payoutMicros ? -1 : 1,
    );
    await change({ ids: [second!.id], status: 'reversed', reason: 'charged back' });
    const now = new Map((await booked(clickId)).map((c) => [c.id, c.status]));
    expect([now.get(first!.id), now.get(second!.id)]).toEqual(['approved', 'reversed']);
    expect(type.body.repeats).toBe(true);
  });

  it('also where the network’s own word means something else, and where it reports differences', async () => {
    const odd = await desk.chain({
      network: {
        name: 'Saltmarsh odd',
        payoutMeans: 'difference',
        statusWords: [{ word: 'pending', means: 'approved' }],
      },
    } as never);
    const clickId = await odd.send();
    await desk.say(odd.network.key, `click_id=${clickId}&payout=5&transaction=O1`);
    const [{ id } = { id: '' }] = await booked(clickId);
    await change({ ids: [id], status: 'pending', payoutMicros: '2000000', reason: 'as agreed' });
    expect((await whole(id)).conversion).toMatchObject({ status: 'pending', payoutMicros: '2000000' });
  });

  it('stays as it is where the move is not allowed, and says why; a change needs a reason and something to change', async () => {
    const { id } = await converted('payout=5&transaction=H4&status=back');
    const answer = await change({ ids: [id, '01M8ZZZZZZ0123456789ABCDEF'], status: 'pending', reason: 'no' });
    expect(answer.body.changed).toBe(0);
    expect(answer.body.unchanged).toHaveLength(2);
    expect((await change({ ids: [id], status: 'approved', reason: '' })).status).toBe(422);
    expect((await change({ ids: [id], reason: 'nothing' })).status).toBe(422);
    const viewer = await desk.member('viewer');
    expect(
      (await viewer.post('/conversions/change', { ids: [id], status: 'approved', reason: 'x' })).status,
    ).toBe(403);
  });
});

describe('a conversion added by hand', () => {
  const add = (body: HandConversion) =>
    desk.owner.post<{ outcome: string; sentence: string; conversionId: string; batchId: string } & Problem>(
      '/conversions/add',
      body,
    );
  it('is booked on its visit, once, and goes when it is undone', async () => {
    const clickId = await chain.send('clk=hand-1&site=kiosk');
    const [eventTypeId] = (await desk.owner.get<{ id: string }[]>('/parts/event-type')).body.map((p) => p.id);
    const asked: HandConversion = {
      clickId: clickId.toLowerCase(),
      eventTypeId: eventTypeId!,
      payoutMicros: '6250000',
      transaction: 'HAND-1',
      reason: 'from the account manager',
    };
    const made = (await add(asked)).body;
    expect(made).toMatchObject({ outcome: 'accepted' });
    const { conversion } = await whole(made.conversionId);
    expect(conversion).toMatchObject({
      payoutMicros: '6250000',
      status: 'approved',
      transaction: 'HAND-1',
      sourceClickId: 'hand-1',
      subs: { site: 'kiosk' },
    });
    expect((await add(asked)).body.outcome).toBe('duplicate');
    // The network tells of it at last: no second conversion.
    const said = await desk.say(chain.network.key, `click_id=${clickId}&payout=6.25&transaction=HAND-1`);
    expect(said.outcome).toBe('duplicate');
    await undo(made.batchId);
    // What the network told stays.
    expect(await booked(clickId)).toHaveLength(1);
  });
  it('needs a visit of this desk', async () => {
    const eventTypeId = (await desk.owner.get<{ id: string }[]>('/parts/event-type')).body[0]!.id;
    const answer = await add({ clickId: '01M8ZZZZZZ0123456789ABCDEF', eventTypeId, reason: 'x' });
    expect([answer.status, answer.body.fields?.[0]?.path]).toEqual([422, 'clickId']);
  });
});
