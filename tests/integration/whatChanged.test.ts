/** What changed since a week before, found by the server from the index, and kept for a while. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { makeUlid } from '@tracheon/core/identity';
import { dayStart, localDay, shiftDay } from '@tracheon/core/time';
import { unknownVisit } from '@tracheon/core/visits';
import { commitVisits } from '../../server/events/commitRows.ts';
import type { VisitRecord } from '../../server/events/rows.ts';
import type { AskIndex } from '../../server/numbers/campaignFigures.ts';
import type { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { WhatChangedKept } from '../../server/numbers/whatChanged.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until, type Chain } from './testDesk.ts';
import { openIndex } from './testIndex.ts';

const ZONE = 'Europe/Brussels';
const folder = mkdtempSync(join(tmpdir(), 'tracheon-changed-'));
let desk: OwnDesk;
let chain: Chain;
let kept: KeptIndex;
beforeAll(async () => {
  desk = await openOwnServer();
  chain = await desk.chain();
  kept = openIndex(desk.pool, join(folder, 'numbers.duckdb'));
});
afterAll(async () => {
  await kept.close();
  await desk.close();
  rmSync(folder, { recursive: true, force: true });
});

let n = 0;
function visit(day: string, site: string, euros: number): VisitRecord {
  const atMs = dayStart(day, ZONE) + 3_600_000 + n * 1000;
  n += 1;
  return {
    ...unknownVisit,
    deskId: desk.deskId,
    id: makeUlid(
      atMs,
      Array.from({ length: 16 }, (_, i) => (i * 5 + n) % 32),
    ),
    atMs,
    campaignId: chain.campaign.id,
    campaignVersion: 1,
    sourceId: chain.source.id,
    offerId: chain.offer.id,
    networkId: chain.network.id,
    costMicros: BigInt(euros * 1e6),
    costCurrency: 'EUR',
    subs: { site },
    address: '',
    userAgent: '',
  } as VisitRecord;
}

it('names the campaign that changed most and the value that explains it, asks once, and forgets a failure', async () => {
  const day = shiftDay(localDay(Date.now(), ZONE), -1);
  const before = shiftDay(day, -7);
  await commitVisits(desk.pool)([
    ...[day, before].flatMap((d) => ['moss', 'fern', 'reed'].map((site) => visit(d, site, 2))),
    visit(day, 'fern', 9),
  ]);
  let asked = 0;
  const ask: AskIndex = async (question) => {
    asked += 1;
    return (await kept.ask(desk.deskId, question, new AbortController().signal))!;
  };
  const of = { id: desk.deskId, zone: ZONE, currency: 'EUR' };
  const changes = new WhatChangedKept(desk.pool);
  await expect(changes.of(() => Promise.reject(new Error('away')), of, Date.now())).rejects.toThrow('away');
  await until(
    async () => kept.state.state === 'ready' && (await changes.of(ask, of, Date.now())).profitMicros !== null,
    'the index',
  );
  await until(async () => {
    const found = await new WhatChangedKept(desk.pool).of(ask, of, Date.now());
    return found.profitMicros === '-15000000';
  }, 'the visits in the index');
  const fresh = new WhatChangedKept(desk.pool);
  asked = 0;
  const [found, again] = await Promise.all([fresh.of(ask, of, Date.now()), fresh.of(ask, of, Date.now())]);
  const questions = asked;
  expect(await fresh.of(ask, of, Date.now())).toBe(found);
  expect([again, asked]).toEqual([found, questions]);
  expect(found).toMatchObject({
    day,
    before,
    profitMicros: '-15000000',
    profitBeforeMicros: '-6000000',
    campaigns: [
      {
        campaignId: chain.campaign.id,
        name: chain.campaign.body.name,
        changeMicros: '-9000000',
        why: { by: 'sub_site', value: 'fern', changeMicros: '-9000000', share: 1 },
      },
    ],
  });
});
