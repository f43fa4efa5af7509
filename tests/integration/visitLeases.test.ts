/** Visit caps, held by several servers that ask one database for blocks. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { offerInput, type PartRecord } from '@tracheon/core/contract';
import { blockOf, VisitLeases } from '../../server/captureStore/visitLeases.ts';
import { emptySnapshot, type CompiledOffer, type Snapshot } from '../../server/snapshot/compiled.ts';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import type { Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  chain = await desk.chain();
});
afterAll(() => desk.close());

/** An offer of its own for each case, so that no case sees the rows of another. */
let made = 0;
async function offerWith(cap: number): Promise<PartRecord<'offer'>> {
  made += 1;
  const { body } = chain.offer;
  return desk.make('offer', { ...body, name: `Capped ${made}`, sending: 'draft', visitCapCount: cap });
}
/** As a server has it that knows of nothing else. */
const snapshotOf = (offer: PartRecord<'offer'>, more: object = {}): Snapshot => {
  const part = { ...offer, deskId: desk.deskId, name: offer.body.name };
  // The server of the other tests must not take part: for it the offer is a draft.
  const body = offerInput.parse({ ...offer.body, sending: 'live', ...more });
  const compiled = { part: { ...part, body }, zone: 'Europe/Brussels' } as unknown as CompiledOffer;
  return { ...emptySnapshot, offers: new Map([[offer.id, compiled]]) };
};
const failures: unknown[] = [];
afterAll(() => expect(failures).toEqual([]));
const server = (now: () => number = Date.now): VisitLeases =>
  new VisitLeases(desk.pool, now, (error) => failures.push(error));
/** Sends while it may, and has its block refilled after each visit. */
async function sendAll(
  leases: VisitLeases,
  snapshot: Snapshot,
  id: string,
  most = Infinity,
): Promise<number> {
  let sent = 0;
  for (; sent < most && !leases.isUsedUp(id); sent++) {
    leases.sent(id);
    await leases.keep(snapshot);
  }
  return sent;
}
const NOON = Date.parse('2026-11-25T11:00:00Z');
const MIDNIGHT = Date.parse('2026-11-25T23:00:00Z');

describe('a visit cap', () => {
  it('is never exceeded by several servers together, and used up whole once all but one have ended', async () => {
    const offer = await offerWith(60);
    const snapshot = snapshotOf(offer);
    const servers = [server(), server(), server()];
    await Promise.all(servers.map((s) => s.keep(snapshot)));
    let total = 0;
    for (const s of servers) total += await sendAll(s, snapshot, offer.id, 12);
    expect(total).toBe(36);
    // Each holds a part of a block that it does not send.
    await servers[1]!.close();
    await servers[2]!.close();
    expect(servers[1]!.isUsedUp(offer.id)).toBe(true);
    await servers[0]!.keep(snapshot);
    total += await sendAll(servers[0]!, snapshot, offer.id);
    expect(total).toBe(60);
  });
  it('loses at most what a server that was killed had in hand', async () => {
    const offer = await offerWith(40);
    const snapshot = snapshotOf(offer);
    const killed = server();
    await killed.keep(snapshot);
    const before = await sendAll(killed, snapshot, offer.id, 8);
    const next = server();
    await next.keep(snapshot);
    const total = before + (await sendAll(next, snapshot, offer.id));
    expect(total).toBeLessThanOrEqual(40);
    expect(total).toBeGreaterThanOrEqual(40 - 2 * blockOf(40));
  });
  it('begins anew with each period of the offer’s zone, without a visitor that waits', async () => {
    const offer = await offerWith(5);
    const snapshot = snapshotOf(offer);
    let now = NOON;
    const leases = server(() => now);
    await leases.keep(snapshot);
    expect(await sendAll(leases, snapshot, offer.id)).toBe(5);
    now = MIDNIGHT - 1000;
    await leases.keep(snapshot);
    expect(leases.isUsedUp(offer.id)).toBe(true);
    now = MIDNIGHT;
    expect(leases.isUsedUp(offer.id)).toBe(false);
    expect(await sendAll(leases, snapshot, offer.id)).toBe(5);
    expect(leases.isUsedUp(offer.id)).toBe(true);
  });
  it('that is raised lets more go, one that is lowered fewer, and one that is removed all', async () => {
    const offer = await offerWith(6);
    const leases = server();
    await leases.keep(snapshotOf(offer));
    expect(await sendAll(leases, snapshotOf(offer), offer.id)).toBe(6);
    const raised = snapshotOf(offer, { visitCapCount: 9 });
    await leases.keep(raised);
    expect(await sendAll(leases, raised, offer.id)).toBe(3);
    await leases.keep(snapshotOf(offer, { visitCapCount: 7 }));
    expect(leases.isUsedUp(offer.id)).toBe(true);
    await leases.keep(snapshotOf(offer, { visitCapCount: 0 }));
    expect(leases.isUsedUp(offer.id)).toBe(false);
  });
  it('closes an offer until it knows what is left after a start, and turns nobody away when it is set later', async () => {
    const offer = await offerWith(8);
    const leases = server();
    const begun = leases.keep(snapshotOf(offer));
    expect(leases.isUsedUp(offer.id)).toBe(true);
    await begun;
    expect(leases.isUsedUp(offer.id)).toBe(false);
    await leases.keep(snapshotOf(offer, { visitCapCount: 0 }));
    const later = leases.keep(snapshotOf(offer, { visitCapCount: 9 }));
    expect(leases.isUsedUp(offer.id)).toBe(false);
    await later;
    expect(await sendAll(leases, snapshotOf(offer, { visitCapCount: 9 }), offer.id)).toBe(9);
  });
  it('set in the middle of a day counts the visits that were sent before', async () => {
    await Promise.all([chain.send(), chain.send(), chain.send('', { 'User-Agent': 'curl/8' })]);
    const leases = server();
    const snapshot = snapshotOf(chain.offer, { visitCapCount: 5 });
    await leases.keep(snapshot);
    expect(await sendAll(leases, snapshot, chain.offer.id)).toBe(3);
  });
});
