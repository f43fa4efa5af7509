/** The two ways a row gets into the database, COPY and insert, write the very same, whatever the text. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import fc from 'fast-check';
import type pg from 'pg';
import { unknownVisit } from '@tracheon/core/visits';
import { cleanText } from '@tracheon/core/links';
import { makeUlid } from '@tracheon/core/identity';
import { openPool } from '../../server/db/pools.ts';
import {
  commitReceipts,
  commitVisits,
  insertReceiptRows,
  insertVisitRows,
} from '../../server/events/commitRows.ts';
import { fromPartner, type ReceiptRecord, type VisitRecord } from '../../server/events/rows.ts';
import { freshDatabase, type FreshDatabase } from './freshDatabase.ts';

let database: FreshDatabase;
let pool: pg.Pool;
beforeAll(async () => {
  database = await freshDatabase();
  pool = openPool(database.url, 'test', 4);
});
afterAll(async () => {
  await pool.end();
  await database.drop();
});

// What quoting gets wrong, and then anything.
const nasty = fc.constantFrom(
  '',
  '\\N',
  'NULL',
  'null',
  '"',
  '\\',
  '\\.',
  '{}',
  '{a,b}',
  ',',
  '\t',
  '\n',
  '\r\n',
  "'",
  '\\"',
  ' x ',
  'é€😀',
  '$1',
  '%s',
);
const text = fc
  .oneof(
    nasty,
    fc.string({ unit: 'binary', maxLength: 40 }),
    fc.array(nasty, { maxLength: 4 }).map((a) => a.join('')),
  )
  .map((t) => cleanText(t));
let serial = 0;
const id = (): string => {
  serial += 1;
  return makeUlid(
    Date.now(),
    Array.from({ length: 16 }, (_, i) => (serial >> (5 * (15 - i > 5 ? 6 : 15 - i))) & 31),
  );
};
const some = fc.array(text, { minLength: 12, maxLength: 12 });

const visit = (t: string[], micros: bigint | null, bot: boolean): VisitRecord => ({
  ...unknownVisit,
  deskId: 'D',
  id: id(),
  atMs: Date.now(),
  campaignId: 'C',
  campaignVersion: 3,
  sourceId: 'S',
  branchId: t[0]!,
  offerId: 'O',
  offerVersion: 1,
  networkId: 'N',
  country: 'NL',
  city: t[1]!,
  isp: t[2]!,
  language: 'nl',
  device: t[3]!,
  deviceModel: t[4]!,
  referrerHost: t[5]!,
  isBot: bot,
  isRepeat: !bot,
  isUnique: bot,
  guessed: true,
  visitorHash: 'h',
  costMicros: micros,
  costCurrency: 'EUR',
  sourceClickId: t[6]!,
  subs: { a: t[7]!, b: t[8]! },
  notes: [t[9]!],
  rawQuery: t[10]!,
  address: 'x',
  userAgent: t[11]!,
});
const receipt = (t: string[]): ReceiptRecord => ({
  deskId: 'D',
  id: id(),
  receivedMs: Date.now(),
  networkId: 'N',
  method: 'GET',
  path: t[0]!,
  query: t[1]!,
  body: t[2]!,
  contentType: t[3]!,
  headers: { a: t[4]!, b: t[5]! },
  ...fromPartner,
  addressPrefix: t[6]!,
});

/** The stored row without its key and transaction. */
async function stored(table: string, rowId: string): Promise<unknown> {
  const { rows } = await pool.query(
    `SELECT to_jsonb(t) - 'id' - 'visit_id' - 'tx' AS row FROM ${table} t WHERE ${table === 'visit_addresses' ? 'visit_id' : 'id'} = $1`,
    [rowId],
  );
  expect(rows).toHaveLength(1);
  return rows[0].row;
}

it('of visits and their addresses', async () => {
  await fc.assert(
    fc.asyncProperty(
      some,
      fc.option(fc.bigInt({ min: -(10n ** 17n), max: 10n ** 17n })),
      fc.boolean(),
      async (t, micros, bot) => {
        const copied = visit(t, micros, bot);
        const inserted = { ...copied, id: id() };
        await commitVisits(pool)([copied]);
        await insertVisitRows(pool, [inserted]);
        for (const table of ['visits', 'visit_addresses'])
          expect(await stored(table, copied.id)).toEqual(await stored(table, inserted.id));
        const { rows } = await pool.query(
          'SELECT subs, notes, raw_query, cost_micros FROM visits WHERE id = $1',
          [copied.id],
        );
        expect(rows[0]).toEqual({
          subs: copied.subs,
          notes: copied.notes,
          raw_query: copied.rawQuery,
          cost_micros: micros === null ? null : String(micros),
        });
      },
    ),
    { numRuns: 50 },
  );
});

it('of receipts', async () => {
  await fc.assert(
    fc.asyncProperty(some, async (t) => {
      const copied = receipt(t);
      const inserted = { ...copied, id: id() };
      await commitReceipts(pool)([copied]);
      await insertReceiptRows(pool, [inserted]);
      expect(await stored('receipts', copied.id)).toEqual(await stored('receipts', inserted.id));
      const { rows } = await pool.query('SELECT path, query, body, headers FROM receipts WHERE id = $1', [
        copied.id,
      ]);
      expect(rows[0]).toEqual({ path: t[0], query: t[1], body: t[2], headers: { a: t[4], b: t[5] } });
    }),
    { numRuns: 50 },
  );
});

it('a batch with a row that is there already goes in without it, once; the connections stay good', async () => {
  const [first, second] = [visit(Array(12).fill('a'), 1n, false), visit(Array(12).fill('b'), 2n, false)];
  await commitVisits(pool)([first]);
  await commitVisits(pool)([first, second]);
  const { rows } = await pool.query('SELECT count(*)::int AS n FROM visits WHERE id = ANY ($1)', [
    [first.id, second.id],
  ]);
  expect(rows[0].n).toBe(2);
  // Refused: nothing of it is written, and it says why.
  await expect(
    commitVisits(pool)([
      { ...first, id: id() },
      { ...second, id: id(), subs: { a: '\u0000' } },
    ]),
  ).rejects.toMatchObject({ code: expect.stringMatching(/^22/) });
  await Promise.all(
    Array.from({ length: 8 }, () =>
      commitVisits(pool)([visit(Array(12).fill('eight beside each other'), null, true)]),
    ),
  );
  const all = await pool.query(
    `SELECT count(*)::int AS n FROM visits WHERE branch_id = 'eight beside each other'`,
  );
  expect(all.rows[0].n).toBe(8);
});
