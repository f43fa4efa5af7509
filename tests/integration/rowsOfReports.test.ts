/** Rows of a report: the same on a large page as on small ones, with bids in the unit of the source that all their visits are of. */
import { randomInt } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { numbersAsked, type NumbersAnswer } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import { unknownVisit } from '@tracheon/core/visits';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import type { Chain } from './testDesk.ts';
import { caughtUp, openIndex } from './testIndex.ts';

const folder = mkdtempSync(join(tmpdir(), 'tracheon-rows-'));
const troubles: string[] = [];
const SITES = 620;
const HOUR_MS = 3_600_000;
const today = localDay(Date.now(), 'Europe/Brussels');
/** Old enough for a verdict, and all on one day. */
const noonMs = dayStart(shiftDay(today, -3), 'Europe/Brussels') + 12 * HOUR_MS;
let desk: OwnDesk;
/** Billed by the thousand, and by the visit. */
let byThousand: Chain;
let byVisit: Chain;
let kept: KeptIndex;

const visit = (of: Chain, more: Partial<VisitRecord>): VisitRecord => {
  const atMs = noonMs + randomInt(HOUR_MS);
  return {
    ...unknownVisit,
    deskId: desk.deskId,
    id: makeUlid(
      atMs,
      Array.from({ length: 16 }, () => randomInt(32)),
    ),
    atMs,
    campaignId: of.campaign.id,
    sourceId: of.source.id,
    offerId: of.offer.id,
    networkId: of.network.id,
    landingId: '',
    isUnique: true,
    costMicros: 20_000n,
    costCurrency: 'EUR',
    address: '',
    userAgent: '',
    ...more,
  } as VisitRecord;
};
const siteOf = (n: number): string => `site-${String(n).padStart(4, '0')}`;

beforeAll(async () => {
  desk = await openOwnServer();
  byThousand = await desk.chain({ source: { costUnit: 'thousand' } });
  byVisit = await desk.chain({ source: { costUnit: 'visit' } });
  const visits = Array.from({ length: SITES }, (_, n) => [
    ...Array.from({ length: 1 + (n % 5) }, () =>
      visit(byThousand, { subs: { site: siteOf(n) }, country: n % 2 === 0 ? 'BE' : 'NL' }),
    ),
    // Every third site has visits of both.
    ...(n % 3 === 0 ? [visit(byVisit, { subs: { site: siteOf(n) }, country: 'BE' })] : []),
  ]);
  visits.push([visit(byVisit, { subs: { site: 'only by visit' }, country: 'FR' })]);
  const all = visits.flat();
  await commitVisits(desk.pool)(all);
  await Promise.all(
    all
      .filter((v, i) => v.sourceId === byThousand.source.id && i % 20 === 0)
      .map(({ id }, i) =>
        desk.say(
          byThousand.network.key,
          `click_id=${id}&payout=${1 + (i % 7)}&currency=EUR&transaction=${id}&status=ok`,
        ),
      ),
  );
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'), troubles);
  await caughtUp(desk.pool, kept, troubles);
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

const ask = (more: object): Promise<NumbersAnswer> =>
  kept
    .ask(
      desk.deskId,
      numbersAsked.parse({
        from: shiftDay(today, -5),
        to: today,
        by: ['sub_site'],
        verdicts: true,
        sort: 'spentMicros',
        ...more,
      }),
      new AbortController().signal,
    )
    .then((answer) => answer!);

it('a page of all rows has what small pages have, and each page with those before it and the rest has all', async () => {
  const whole = await ask({ limit: 1000 });
  expect(whole.count).toBe(SITES + 1);
  expect(whole.rest).toBeNull();
  expect(whole.total.conversions).toBeGreaterThan(50);
  let seen = { visits: 0, conversions: 0, spent: 0n, earned: 0n };
  for (let offset = 0; offset < whole.count; offset += 150) {
    const page = await ask({ limit: 150, offset });
    expect(page.rows).toEqual(whole.rows.slice(offset, offset + 150));
    expect(page.total).toEqual(whole.total);
    for (const { figures: f } of page.rows)
      seen = {
        visits: seen.visits + f.visits,
        conversions: seen.conversions + f.conversions,
        spent: seen.spent + BigInt(f.spentMicros),
        earned: seen.earned + BigInt(f.earnedMicros),
      };
    const { rest } = page;
    expect({
      visits: seen.visits + (rest?.visits ?? 0),
      conversions: seen.conversions + (rest?.conversions ?? 0),
      spent: seen.spent + BigInt(rest?.spentMicros ?? 0),
      earned: seen.earned + BigInt(rest?.earnedMicros ?? 0),
    }).toEqual({
      visits: whole.total.visits,
      conversions: whole.total.conversions,
      spent: BigInt(whole.total.spentMicros),
      earned: BigInt(whole.total.earnedMicros),
    });
  }
});

it('bids are made for as many visits as the source bills, where all visits of a row are of one', async () => {
  const [thousand, single, desks] = [1000, 1, 1];
  const visitsOf = async (more: object): Promise<Record<string, number>> =>
    Object.fromEntries(
      (await ask({ limit: 1000, ...more })).rows.map((r) => [r.values.join(' '), r.verdict!.bidUnit.visits]),
    );
  const bySite = await visitsOf({});
  expect([bySite[siteOf(1)], bySite[siteOf(3)], bySite['only by visit']]).toEqual([thousand, desks, single]);
  const only = (by: string, value: string): object => ({ only: [{ by, is: 'is', values: [value] }] });
  for (const narrowed of [
    only('campaign_id', byThousand.campaign.id),
    only('source_id', byThousand.source.id),
  ])
    expect(await visitsOf(narrowed)).toMatchObject({ [siteOf(1)]: thousand, [siteOf(3)]: thousand });
  expect(await visitsOf({ by: ['country'] })).toEqual({ BE: desks, NL: thousand, FR: single });
  expect(await visitsOf({ by: ['country'], under: [{ by: 'source_id', value: byVisit.source.id }] })).toEqual(
    {
      BE: single,
      FR: single,
    },
  );
  for (const [by, key] of [
    ['campaign_id', 'campaign'],
    ['source_id', 'source'],
  ] as const)
    expect(await visitsOf({ by: [by] })).toEqual({
      [byThousand[key].id]: thousand,
      [byVisit[key].id]: single,
    });
  expect(Object.values(await visitsOf({ by: ['weekday'] }))).toEqual([desks]);
});

it('costs in a currency that came after the first question are not taken for the desk’s own', async () => {
  const { total } = await ask({});
  const late = visit(byVisit, { subs: { site: 'late' }, country: 'FR', costCurrency: 'JPY' });
  await commitVisits(desk.pool)([late]);
  await caughtUp(desk.pool, kept, troubles);
  const now = await ask({});
  expect(now.total.visits).toBe(total.visits + 1);
  // There is no rate for it.
  expect(now.total.spentMicros).toBe(total.spentMicros);
});
