/** Conversions without a visit of ours: partners known by their own ID, and click IDs carried over from an earlier tracker. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  CampaignsReport,
  CarriedTrial,
  FoundThings,
  ImportDraft,
  Problem,
  ReceiptBatch,
  WholeConversion,
  WholePostbackIn,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain({ source: { reportStatuses: ['approved'], fileKey: 'first' } });
});
afterAll(() => desk.close());

const newest = async () =>
  (await desk.postbacksIn())
    .map((p) => p.id)
    .sort()
    .at(-1)!;
const whole = async (id: string) => (await desk.owner.get<WholeConversion>(`/conversions/${id}`)).body;
const ofTransaction = async (transaction: string) =>
  (await desk.booked()).filter((c) => c.transaction === transaction);
async function ended(id: string, state = 'done'): Promise<ReceiptBatch> {
  const now = async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body;
  await until(async () => (await now()).state === state, `the run to be ${state}`);
  return now();
}

describe('a partner who is known by an ID of the network alone', () => {
  let network: { id: string; key: string };
  let kites: { id: string };
  let boats: { id: string };
  beforeAll(async () => {
    const made = await desk.make('network', {
      name: 'Kitewright direct',
      relation: 'direct',
      fields: { partner_id: { macro: '', parameter: 'aff' }, offer_id: { macro: '', parameter: 'prog' } },
      noStatusMeans: 'pending',
    });
    network = made as never;
    const offer = (name: string, more: object) =>
      desk.make('offer', {
        name,
        networkId: made.id,
        link: `https://kitewright.example/${name.length}`,
        currency: 'EUR',
        ...more,
      }) as never;
    kites = await offer('Kite starter set', { idAtNetwork: 'K-1' });
    boats = await offer('Kite pro set', {
      idAtNetwork: 'K-2',
      payoutMode: 'fixed',
      payoutMicros: '9000000',
    });
  });
  const say = (query: string) => desk.say(network.key, query);

  it('is matched by partner, offer and transaction; its status follows, also told by the transaction alone', async () => {
    expect((await say('aff=p77&prog=K-1&payout=12.5&transaction=A1')).outcome).toBe('accepted');
    const [c] = await ofTransaction('A1');
    expect(c).toMatchObject({
      partnerId: 'p77',
      clickId: '',
      campaignId: '',
      offerName: 'Kite starter set',
      status: 'pending',
      payoutMicros: '12500000',
      baseMicros: '12500000',
      flags: [],
    });
    expect((await say('aff=p77&prog=K-1&payout=12.5&transaction=A1')).outcome).toBe('duplicate');
    expect((await say('transaction=A1&status=approved')).outcome).toBe('updated');
    const { conversion, receipts, ledger, others } = await whole(c!.id);
    expect(conversion).toMatchObject({ status: 'approved', visitAt: conversion.at });
    expect(receipts.map((r) => r.outcome)).toEqual(['accepted', 'duplicate', 'updated']);
    expect(ledger.map((l) => [l.kind, l.deltaMicros])).toEqual([
      ['hold', '12500000'],
      ['hold', '-12500000'],
      ['earn', '12500000'],
    ]);
    expect(others).toEqual([]);
  });

  it('has conversions of its own beside another partner’s and another offer’s with the same transaction', async () => {
    for (const who of ['aff=p1&prog=K-1', 'aff=p2&prog=K-1', 'aff=p1&prog=K-2'])
      expect((await say(`${who}&payout=3&transaction=SAME`)).outcome).toBe('accepted');
    const same = await ofTransaction('SAME');
    expect(same.map((c) => [c.partnerId, c.offerName, c.payoutMicros]).sort()).toEqual([
      ['p1', 'Kite pro set', '9000000'],
      ['p1', 'Kite starter set', '3000000'],
      ['p2', 'Kite starter set', '3000000'],
    ]);
    // Whose it is can't be told by the transaction any more.
    expect(await say('transaction=SAME&status=approved')).toMatchObject({ outcome: 'repair' });
  });

  it('needs a transaction, and an offer that is known; each is said, and the second is repaired at the offer', async () => {
    expect((await say('aff=p1&prog=K-1&payout=3')).reason).toContain('no transaction');
    expect((await say('aff=p1&payout=3&transaction=B1')).reason).toContain('several offers');
    const { outcome, reason } = await say('aff=p1&prog=K-9&payout=3&transaction=B2');
    const id = await newest();
    expect([outcome, reason]).toEqual(['repair', expect.stringContaining('“K-9”')]);
    const part = (await desk.owner.get<{ version: number; body: object }>(`/parts/offer/${boats.id}`)).body;
    await desk.owner.put(`/parts/offer/${boats.id}`, {
      version: part.version,
      body: { ...part.body, idAtNetwork: 'K-9' },
    });
    await desk.owner.post('/postbacks-in/reprocess', { ids: [id] });
    expect(await ofTransaction('B2')).toMatchObject([{ offerName: 'Kite pro set', payoutMicros: '9000000' }]);
    expect(await ofTransaction('B1')).toEqual([]);
    expect(kites.id).not.toBe('');
  });

  it('is changed by hand and taken back like any other, and is in the total of the desk without a campaign', async () => {
    await say('aff=p5&prog=K-1&payout=4&transaction=H5&status=approved');
    const [c] = await ofTransaction('H5');
    const change = { ids: [c!.id], status: 'rejected', reason: 'fraud' };
    expect((await desk.owner.post<{ changed: number }>('/conversions/change', change)).body.changed).toBe(1);
    expect((await whole(c!.id)).conversion.status).toBe('rejected');
    const withoutIn = ({ rows }: CampaignsReport) => rows.find((r) => r.campaignId === '');
    let report: CampaignsReport | null = null;
    await until(async () => {
      report = (await desk.owner.get<CampaignsReport>('/reports/campaigns')).body;
      return (withoutIn(report)?.figures.conversions ?? 0) > 3;
    }, 'the figures');
    const { total } = report!;
    const without = withoutIn(report!)!;
    expect(without.figures.conversions).toBeGreaterThan(3);
    expect(total.conversions).toBeGreaterThanOrEqual(without.figures.conversions);
  });

  it('keeps marks that could be taken for something else, and an ID that is far too long', async () => {
    const odd = 'a:b/ü %+‎x';
    await say(`aff=${encodeURIComponent(odd)}&prog=K-1&payout=1&transaction=${encodeURIComponent('t:1:%')}`);
    expect(await ofTransaction('t:1:%')).toMatchObject([{ partnerId: odd }]);
    expect((await say(`aff=${'p'.repeat(400)}&prog=K-1&payout=1&transaction=L1`)).outcome).toBe('accepted');
    expect((await say(`aff=${'p'.repeat(400)}&prog=K-1&payout=1&transaction=L1`)).outcome).toBe('duplicate');
  });
});

describe('click IDs carried over from an earlier tracker', () => {
  const upload = async (text: string): Promise<ImportDraft> => {
    const { status, body } = await desk.owner.upload<ImportDraft & Problem>(
      '/imports?name=clicks.csv',
      Buffer.from(text),
    );
    expect([status, body.detail]).toEqual([200, undefined]);
    return body;
  };
  const settings = (more: object = {}) => ({
    targets: ['click_id', 'visit_time', 'campaign', 'sub_site', 'source_click_id'],
    campaignId: '',
    zone: 'UTC',
    dates: 'ymd',
    ...more,
  });
  const day = new Date(Date.now() - 5 * 86_400_000).toISOString().slice(0, 10);
  const start = async (id: string, more: object = {}): Promise<ReceiptBatch> => {
    const { status, body } = await desk.owner.post<ReceiptBatch & Problem>(
      `/carried-clicks/${id}/run`,
      settings(more),
    );
    expect([status, body.fields]).toEqual([200, undefined]);
    return ended(id);
  };
  const say = (query: string) => desk.say(chain.network.key, query);

  it('books late conversions on their campaign, flagged; also those that had come before the file; and counts no visit', async () => {
    const early = await say('click_id=old-Ab1&payout=6&transaction=CARRY-1&status=ok');
    const earlyId = await newest();
    expect([early.outcome, early.reason]).toEqual(['repair', expect.stringContaining('“old-Ab1”')]);
    const name = chain.campaign.body.name;
    const draft = await upload(
      `id,when,campaign,site,ref\nold-Ab1,${day} 08:00,${name},s9,src-1\nold-Ab2,${day} 09:00,${name},s9,\nold-Ab3,soon,${name},,\nold-Ab4,${day},No such campaign,,\n`,
    );
    const trial = (await desk.owner.post<CarriedTrial>(`/carried-clicks/${draft.id}/try`, settings())).body;
    expect([trial.tried, trial.ready, trial.known]).toEqual([4, 2, 0]);
    expect(trial.problems.map((p) => [p.n, p.why])).toEqual([
      [3, expect.stringContaining('“soon”')],
      [4, expect.stringContaining('“No such campaign”')],
    ]);
    const before = (await desk.owner.get<CampaignsReport>('/reports/campaigns')).body.total.visits;
    const batch = await start(draft.id);
    expect(batch.results).toEqual([{ outcome: 'carried', count: 2 }]);
    expect(await ofTransaction('CARRY-1')).toMatchObject([
      {
        clickId: 'old-Ab1',
        campaignId: chain.campaign.id,
        status: 'approved',
        flags: ['carried_over'],
        sourceClickId: 'src-1',
        subs: { site: 's9' },
        visitAt: `${day}T08:00:00.000Z`,
      },
    ]);
    // Its case is its own: another one is another ID.
    expect((await say('click_id=OLD-AB2&payout=6&transaction=C2&status=ok')).outcome).toBe('repair');
    expect((await say('click_id=old-Ab2&payout=6&transaction=C2&status=wait')).outcome).toBe('accepted');
    expect((await say('transaction=C2&status=ok')).outcome).toBe('updated');
    expect((await desk.owner.get<CampaignsReport>('/reports/campaigns')).body.total.visits).toBe(before);
    // What has no trail leads to the list; the source's own file names the click as the earlier tracker knew it.
    const things = (await desk.owner.get<FoundThings>('/find?text=CARRY-1')).body.rows;
    expect(things.filter((t) => t.what === 'conversion')).toMatchObject([{ id: '', title: 'CARRY-1' }]);
    const { url } = (
      await desk.owner.get<{ url: string }>(`/parts/source/${chain.source.id}/conversion-file`)
    ).body;
    const file = await (await fetch(url.replace(/^https?:\/\/[^/]+/, desk.tracking))).text();
    expect(file).toContain('src-1');
    const { steps } = (await desk.owner.get<WholePostbackIn>(`/postbacks-in/${earlyId}`)).body;
    expect(steps.find((s) => s.field === 'Click ID')).toMatchObject({
      isTrouble: false,
      meaning: expect.stringContaining('another tracker'),
    });
    const { rows } = (await desk.owner.get<{ rows: { n: number }[] }>(`/carried-clicks/${draft.id}/problems`))
      .body;
    expect(rows.map((r) => r.n)).toEqual([3, 4]);

    const erase = async (clickId: string) =>
      (await desk.owner.post<Problem>('/carried-clicks/erase', { clickId })).body;
    // Erased by its ID, in its own case: what may point to a person is gone, what was earned stays.
    expect((await erase('OLD-AB1')).code).toBe('not_found');
    expect(await erase('old-Ab1')).toEqual({
      visits: 1,
      postbacks: 1,
      conversions: 1,
    });
    await desk.owner.post(`/postbacks-in/${earlyId}/reprocess`);
    expect(await ofTransaction('CARRY-1')).toMatchObject([
      { clickId: 'old-Ab1', status: 'approved', sourceClickId: '', subs: {} },
    ]);
    const left = await desk.pool.query(
      `SELECT cells::text FROM import_rows WHERE batch_id = $1 AND cells::text LIKE '%src-1%'`,
      [draft.id],
    );
    expect(left.rows).toEqual([]);
  });

  it('changes nothing when the same file comes twice; undone as one, what they booked goes with them', async () => {
    const file = `id,when\nlate-1,${day}\nlate-2,${day}\n`;
    const more = { targets: ['click_id', 'visit_time'], campaignId: chain.campaign.id };
    const first = await upload(file);
    await start(first.id, more);
    await say('click_id=late-1&payout=7&transaction=D1&status=ok');
    const again = await upload(file);
    const trial = (await desk.owner.post<CarriedTrial>(`/carried-clicks/${again.id}/try`, settings(more)))
      .body;
    expect([trial.ready, trial.known]).toEqual([0, 2]);
    expect((await start(again.id, more)).results).toEqual([]);
    await desk.owner.post(`/receipt-batches/${again.id}/undo`, {});
    await ended(again.id, 'undone');
    const [booked] = await ofTransaction('D1');
    expect(booked).toMatchObject({ status: 'approved' });
    expect((await desk.owner.post(`/receipt-batches/${first.id}/undo`, {})).status).toBe(200);
    await ended(first.id, 'undone');
    expect(await ofTransaction('D1')).toEqual([]);
    const { outcome } = await say('click_id=late-1&payout=7&transaction=D1&status=ok');
    expect(outcome).toBe('repair');
  });

  it('asks for what a file can’t do without', async () => {
    const draft = await upload(`id,when\nx,${day}\n`);
    const { status, body } = await desk.owner.post<Problem>(
      `/carried-clicks/${draft.id}/run`,
      settings({ targets: ['', ''] }),
    );
    expect(status).toBe(422);
    expect(body.fields!.map((f) => f.message)).toEqual([
      expect.stringContaining('click ID'),
      expect.stringContaining('time of the visit'),
      expect.stringContaining('campaign'),
    ]);
  });
});
