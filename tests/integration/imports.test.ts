/** Conversions out of files: read in every usual form, mapped, tried, imported once, undone as one. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { Answer } from './apiClient.ts';
import { makeUlid } from '@tracheon/core/identity';
import type { ImportDraft, ImportTrial, Problem, ReceiptBatch } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { until, type Chain } from './testDesk.ts';
import { xlsxFile, zipFile } from './xlsxFile.ts';

/** Made before anything is asked: packing it takes longer than a server keeps an idle connection. */
const bomb = zipFile([
  {
    name: 'xl/worksheets/sheet1.xml',
    data: Buffer.concat([Buffer.from('<w>'), Buffer.alloc(160 * 1024 * 1024, ' ')]),
  },
]);
let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

const upload = (file: Buffer | string, network = chain.network.id): Promise<Answer<ImportDraft & Problem>> =>
  desk.owner.upload(`/imports?name=june.csv&network=${network}`, Buffer.from(file as string));
const settingsOf = (draft: ImportDraft, more: object = {}) => ({ ...draft.settings, ...more });
const tried = async (draft: ImportDraft, more: object = {}) =>
  (await desk.owner.post<ImportTrial>(`/imports/${draft.id}/try`, settingsOf(draft, more))).body;
async function ended(id: string, state = 'done'): Promise<ReceiptBatch> {
  const now = async () => (await desk.owner.get<ReceiptBatch>(`/receipt-batches/${id}`)).body;
  await until(async () => (await now()).state === state, `the import to be ${state}`);
  return now();
}
async function imported(draft: ImportDraft, more: object = {}): Promise<ReceiptBatch> {
  const started = await desk.owner.post<ReceiptBatch & Problem>(
    `/imports/${draft.id}/run`,
    settingsOf(draft, more),
  );
  expect([started.status, started.body.fields]).toEqual([200, undefined]);
  return ended(draft.id);
}
const counts = (of: { results: { outcome: string; count: number }[] }) =>
  Object.fromEntries(of.results.map((r) => [r.outcome, r.count]));
const booked = async (transaction: string) =>
  (await desk.booked()).filter((c) => c.transaction === transaction);
const visits = (n: number): Promise<string[]> => Promise.all(Array.from({ length: n }, () => chain.send()));

describe('a file', () => {
  it('is read in every usual encoding, with every usual separator, and as a spreadsheet', async () => {
    const text = 'Klik;Betrag;Notiz\n01M8CDEEANGYE2HV482HMFF4YC;4,50;"größer; ""als"""\n';
    const expected = [['01M8CDEEANGYE2HV482HMFF4YC', '4,50', 'größer; "als"']];
    const forms: [string, Buffer][] = [
      ['UTF-8', Buffer.from(text)],
      ['with a byte order mark', Buffer.from(`\ufeff${text}`)],
      ['UTF-16, little end first', Buffer.from(`\ufeff${text}`, 'utf16le')],
      ['UTF-16, big end first', Buffer.from(`\ufeff${text}`, 'utf16le').swap16()],
      ['what older programs write', Buffer.from(text, 'latin1')],
      ['lines of another system', Buffer.from(text.replaceAll('\n', '\r\n'))],
      [
        'tabs',
        Buffer.from(
          text.replace('Klik;Betrag;Notiz', 'Klik\tBetrag\tNotiz').replace('YC;4,50;', 'YC\t4,50\t'),
        ),
      ],
    ];
    for (const [form, file] of forms) {
      const { status, body } = await upload(file);
      expect([form, status, body.header, body.rows]).toEqual([
        form,
        200,
        ['Klik', 'Betrag', 'Notiz'],
        expected,
      ]);
      // Found by its values.
      expect(body.settings.targets[0]).toBe('click_id');
    }
    const when = new Date(Date.UTC(2026, 10, 24, 9, 5));
    const sheet = await upload(
      xlsxFile([
        ['Click ID', 'Amount', 'Date'],
        ['01M8CDEEANGYE2HV482HMFF4YC', 12.3, when],
        ['a & b <', 0.1 + 0.2, new Date(Date.UTC(2026, 10, 25))],
      ]),
    );
    expect(sheet.body.rows).toEqual([
      ['01M8CDEEANGYE2HV482HMFF4YC', '12.3', '2026-11-24T09:05:00'],
      ['a & b <', '0.3', '2026-11-25'],
    ]);
    expect(sheet.body.settings.targets).toEqual(['click_id', 'payout', 'conversion_time']);
  });

  it('that can’t be read says why, and leaves nothing behind', async () => {
    expect(bomb.length).toBeLessThan(3 * 1024 * 1024);
    const bad: [string | Buffer, RegExp][] = [
      ['', /empty/],
      ['only,a,header\n', /no rows/],
      [`a,b\n1,"${'x\n'.repeat(200_000)}`, /quote in it is never closed/],
      [Buffer.from([0x50, 0x4b, 3, 4, 1, 2, 3]), /not a valid XLSX/],
      [zipFile([{ name: 'nothing.txt', data: Buffer.from('x') }]), /no worksheet/],
      [zipFile([{ name: 'xl/worksheets/sheet1.xml', data: Buffer.from('<a><b></a>') }]), /damaged/],
      [bomb, /too large when it is unpacked/],
    ];
    for (const [file, why] of bad) {
      const { status, body } = await upload(file as string);
      expect([status, body.code, body.detail]).toEqual([422, 'unreadable_file', expect.stringMatching(why)]);
    }
    const { rows } = await desk.pool.query(`SELECT 1 FROM receipt_batches WHERE desk_id = $1 AND total = 0`, [
      desk.deskId,
    ]);
    expect(rows).toEqual([]);
  });
});

describe('an import', () => {
  const file = (ids: string[], mark: string): string =>
    [
      'Click ID,Amount,Currency,Order,Status,Date',
      `${ids[0]},4.00,EUR,${mark}-1,ok,24.11.2026 10:00`,
      `${ids[1]},"1,234.50",EUR,${mark}-2,wait,24.11.2026 11:00`,
      `${ids[2]},5.00,EUR,${mark}-3,strange,24.11.2026 12:00`,
      `no click ID at all,5.00,EUR,,ok,24.11.2026 12:00`,
      `${ids[0]},4.00,EUR,${mark}-1,ok,24.11.2026 10:00`,
    ].join('\n');

  it('is tried first, books each row once, gives the failed ones back, and is undone as one', async () => {
    const ids = await visits(3);
    const draft = (await upload(file(ids, 'imp'))).body;
    expect(draft.settings.targets).toEqual([
      'click_id',
      'payout',
      'currency',
      'transaction',
      'status',
      'conversion_time',
    ]);
    const trial = await tried(draft, { dates: 'dmy' });
    const expected = { accepted: 2, repair: 2, duplicate: 1 };
    expect(counts({ results: trial.outcomes })).toEqual(expected);
    expect(trial.rows[2]).toMatchObject({
      n: 3,
      outcome: 'repair',
      sentence: expect.stringContaining('strange'),
    });
    expect(await booked('imp-1')).toEqual([]);
    const batch = await imported(draft, { dates: 'dmy' });
    expect([batch.total, batch.finished, counts(batch)]).toEqual([5, 5, expected]);
    expect(await booked('imp-1')).toMatchObject([
      { status: 'approved', payoutMicros: '4000000', at: '2026-11-24T09:00:00.000Z' },
    ]);
    expect(await booked('imp-2')).toMatchObject([{ status: 'pending', payoutMicros: '1234500000' }]);
    const failed = (
      await desk.owner.get<{ rows: { n: number; why: string }[] }>(`/imports/${draft.id}/failed`)
    ).body;
    expect(failed.rows.map((r) => r.n)).toEqual([3, 4]);
    // The network's own postback about the same conversion is no second one.
    const said = await desk.say(
      chain.network.key,
      `click_id=${ids[0]}&payout=4.00&currency=EUR&transaction=imp-1&status=ok`,
    );
    expect(said.outcome).toBe('duplicate');
    const undone = await desk.owner.post<ReceiptBatch>(`/receipt-batches/${draft.id}/undo`, {});
    expect(undone.status).toBe(200);
    await ended(draft.id, 'undone');
    expect(await booked('imp-2')).toEqual([]);
    // It stands by the postback alone now.
    expect(await booked('imp-1')).toMatchObject([{ status: 'approved' }]);
    const sums = await desk.pool.query(
      `SELECT coalesce(sum(delta_micros), 0)::text AS sum FROM ledger WHERE desk_id = $1
         AND receipt_id IN (SELECT receipt_id FROM outcomes WHERE batch_id = $2) AND kind = 'hold'`,
      [desk.deskId, draft.id],
    );
    expect(sums.rows[0]).toEqual({ sum: '0' });
  });

  it('leaves nothing to book later: a row that was kept but not judged when its file was undone does not count', async () => {
    const [id] = await visits(1);
    const draft = (await upload(`click,sum,txn\n${id},1.00,late-0`)).body;
    await imported(draft);
    await desk.owner.post(`/receipt-batches/${draft.id}/undo`, {});
    await ended(draft.id, 'undone');
    // As a run leaves it that was killed between the two commits.
    const late = makeUlid(Date.now(), Array(16).fill(1));
    await desk.pool.query(
      `INSERT INTO receipts (desk_id, day, id, received_at, network_id, method, path, query, body, content_type, headers,
         address_prefix, held, channel, batch_id)
       SELECT desk_id, day, $2, received_at, network_id, method, path, replace(query, 'late-0', 'late-1'), body, content_type,
         headers, address_prefix, held, channel, batch_id FROM receipts WHERE batch_id = $1`,
      [draft.id, late],
    );
    await until(
      async () => (await desk.postbacksIn()).some((r) => r.id === late && r.outcome === 'withdrawn'),
      'the late row to be taken back',
    );
    expect(await booked('late-1')).toEqual([]);
  });

  it('of the same file twice changes nothing, not even where nothing tells two rows apart; the mapping is remembered', async () => {
    await desk.make('event-type', { name: 'Coin', word: 'coin', repeats: true });
    const [id] = await visits(1);
    const text = ['click,sum,goal', `${id},1.00,coin`, `${id},1.00,coin`, `${id},2.00,coin`].join('\n');
    const first = (await upload(text)).body;
    expect(first.isRemembered).toBe(false);
    const batch = await imported(first, { decimalMark: '.' });
    // Rows of one file that say the same within ten minutes are one.
    expect(counts(batch)).toEqual({ accepted: 2, duplicate: 1 });
    const again = (await upload(text)).body;
    expect([again.isRemembered, again.settings.decimalMark]).toEqual([true, '.']);
    expect(counts({ results: (await tried(again)).outcomes })).toEqual({ known: 3 });
    await desk.pool.query(
      `UPDATE receipts SET received_at = received_at - interval '1 hour' WHERE batch_id = $1`,
      [first.id],
    );
    expect(counts(await imported(again))).toEqual({ known: 3 });
    expect((await desk.booked()).filter((c) => c.eventName === 'Coin')).toHaveLength(2);
    const started = await desk.owner.post<Problem>(`/imports/${again.id}/run`, settingsOf(again));
    expect([started.status, started.body.code]).toEqual([409, 'not_a_draft']);
  });

  it('keeps for comparison only what the offer takes from postbacks', async () => {
    const [type] = (await desk.owner.get<{ id: string }[]>('/parts/event-type')).body;
    const strict = await desk.chain({
      offer: {
        name: 'Fernway by postback',
        link: 'https://go.larkspur.example/o/1',
        payoutMode: 'reported',
        currency: 'EUR',
        conversionsFrom: [{ eventTypeId: type!.id, channel: 'postbacks' }],
      },
    } as never);
    const id = await strict.send();
    const draft = (await upload(`click_id,payout\n${id},3`, strict.network.id)).body;
    expect(counts(await imported(draft))).toEqual({ ignored: 1 });
  });

  it('needs a column that tells whose conversion it is, and a network of this desk', async () => {
    const draft = (await upload('a,b\n1,2')).body;
    const none = await desk.owner.post<Problem>(`/imports/${draft.id}/run`, settingsOf(draft));
    expect([none.status, none.body.fields?.[0]?.path]).toEqual([422, 'targets']);
    const other = settingsOf(draft, { targets: ['click_id', ''], networkId: '01M8ZZZZZZ0123456789ABCDEF' });
    expect((await desk.owner.post(`/imports/${draft.id}/run`, other)).status).toBe(404);
  });

  it('is stopped and continued; every row is one receipt', async () => {
    const ids = await visits(60);
    const rows = Array.from({ length: 600 }, (_, n) => `${ids[n % 60]},1.00,stop-${n}`);
    const draft = (await upload(['click_id,payout,transaction', ...rows].join('\n'))).body;
    await desk.owner.post(`/imports/${draft.id}/run`, settingsOf(draft));
    const stopped = await desk.owner.post<ReceiptBatch>(`/receipt-batches/${draft.id}/stop`, {});
    expect(stopped.body.state).toBe('stopped');
    expect(stopped.body.finished).toBeLessThan(600);
    await desk.owner.post(`/receipt-batches/${draft.id}/resume`, {});
    const batch = await ended(draft.id);
    expect([batch.finished, counts(batch)]).toEqual([600, { accepted: 600 }]);
    const { rows: receipts } = await desk.pool.query(
      'SELECT count(*)::int AS n FROM receipts WHERE desk_id = $1 AND batch_id = $2',
      [desk.deskId, draft.id],
    );
    expect(receipts[0]).toEqual({ n: 600 });
  });
});
