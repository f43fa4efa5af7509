/**
 * Visit caps. What may still be sent to an offer in its period stands in one row; each server takes a block of it at a time
 * and sends visits out of its block without asking anybody, so that all of them together never send more than the cap.
 *
 * A server that stops in good order gives back what it did not send; one that is killed leaves it unused, so that up to a
 * block fewer is sent. While the database is away, a server sends what it has, and then treats the cap as reached.
 *
 * Visits count that count in the figures: no bots, repeats and tests. The first block of a period begins with what was sent
 * in it before, for a cap that is set in the middle of a day.
 */
import type { Pool } from 'pg';
import { capPeriodAt, type Span } from '@tracheon/core/time';
import type { CompiledOffer, Snapshot } from '../snapshot/compiled.ts';

/** A fiftieth of the cap: small beside it, and large enough that busy servers ask some times a second at most. */
const BLOCKS_OF_A_CAP = 50;
/** Of a smaller one, the next visitor would often come before the next block. */
const MIN_BLOCK = 5;
const MAX_BLOCK = 1000;
/** The next period's first block is taken before it begins, so that no visitor waits for it. */
const AHEAD_MS = 5000;

export const blockOf = (cap: number): number =>
  Math.min(MAX_BLOCK, Math.max(MIN_BLOCK, Math.ceil(cap / BLOCKS_OF_A_CAP)));

interface Lease extends Span {
  left: number;
}
interface Capped {
  offer: CompiledOffer;
  now: Lease | null;
  next: Lease | null;
  asking: Promise<void> | null;
}

export class VisitLeases {
  private capped = new Map<string, Capped>();
  private closed = false;
  private hasBegun = false;

  constructor(
    private readonly pool: Pool,
    private readonly now: () => number,
    private readonly onTrouble: (error: unknown) => void,
  ) {}

  /** True for an offer with a visit cap of which this server may send no more. */
  readonly isUsedUp = (offerId: string): boolean => {
    const capped = this.capped.get(offerId);
    return capped !== undefined && (this.current(capped)?.left ?? 0) <= 0;
  };

  /** One visit goes to the offer. */
  readonly sent = (offerId: string): void => {
    const capped = this.capped.get(offerId);
    const lease = capped && this.current(capped);
    if (!capped || !lease) return;
    lease.left -= 1;
    if (isLow(capped.offer, lease)) void this.ask(capped);
  };

  /** Takes up new caps, drops old ones, and asks for blocks where they run low or a period is about to begin. */
  async keep(snapshot: Snapshot): Promise<void> {
    // One that is not live gets no visitors, and holds no block that another server could use.
    const offers = [...snapshot.offers.values()].filter(
      ({ part: { body } }) => body.visitCapCount > 0 && body.sending === 'live',
    );
    const before = this.capped;
    const next = new Map(
      offers.map((offer): [string, Capped] => {
        const known = before.get(offer.part.id);
        const isSame = known !== undefined && isSameCap(known.offer, offer);
        if (isSame) known.offer = offer;
        return [offer.part.id, isSame ? known : { offer, now: null, next: null, asking: null }];
      }),
    );
    // After a start nothing is open before it is known how much is left. Later a cap that is new or changed takes its first
    // block before it takes effect: until then visitors go by what held before, and none is turned away for the wait.
    if (!this.hasBegun) this.capped = next;
    this.hasBegun = true;
    await Promise.all([...next.values()].map((capped) => this.ask(capped)));
    if (this.closed) return;
    this.capped = next;
    const gone = [...before.values()].filter((c) => next.get(c.offer.part.id) !== c);
    await Promise.all(gone.map((capped) => this.giveBack(capped)));
  }

  /** What was not sent is there for the other servers. */
  async close(): Promise<void> {
    this.closed = true;
    // Visits that are still being answered find nothing left.
    await Promise.all([...this.capped.values()].map((capped) => this.giveBack(capped)));
  }

  private current(capped: Capped): Lease | null {
    const now = this.now();
    if (capped.next && now >= capped.next.startMs) [capped.now, capped.next] = [capped.next, null];
    return capped.now && now >= capped.now.startMs && now < capped.now.endMs ? capped.now : null;
  }

  /** One question at a time; a failure leaves what there is, and the next round asks again. */
  private ask(capped: Capped): Promise<void> {
    if (this.closed) return Promise.resolve();
    return (capped.asking ??= this.fill(capped)
      .catch((error: unknown) => this.onTrouble(error))
      .finally(() => (capped.asking = null)));
  }

  private async fill(capped: Capped): Promise<void> {
    const { offer } = capped;
    const span = periodOf(offer, this.now());
    const lease = this.current(capped);
    if (!lease || isLow(offer, lease)) {
      const granted = await this.take(offer, span);
      // A block that was asked for in the last moment of a period is of no use in the next one.
      const still = this.current(capped);
      if (still?.startMs === span.startMs) still.left += granted;
      else if (!still) capped.now = { ...span, left: granted };
    }
    if (span.endMs - this.now() > AHEAD_MS || capped.next) return;
    const next = periodOf(offer, span.endMs);
    capped.next = { ...next, left: await this.take(offer, next) };
  }

  /** How many of a block were left to take. */
  private async take({ part }: CompiledOffer, { startMs }: Span): Promise<number> {
    const { visitCapCount: cap, visitCapPeriod: period } = part.body;
    const of = [part.id, period, moment(startMs)];
    const update = () =>
      this.pool.query<{ granted: string }>(
        `WITH before AS (SELECT taken FROM visit_leases WHERE offer_id = $1 AND period = $2 AND starts = $3 FOR UPDATE)
         UPDATE visit_leases l SET taken = greatest(b.taken, least($4::bigint, b.taken + $5::bigint)) FROM before b
         WHERE offer_id = $1 AND period = $2 AND starts = $3 RETURNING l.taken - b.taken AS granted`,
        [...of, cap, blockOf(cap)],
      );
    let { rows } = await update();
    if (rows.length === 0) {
      await this.pool.query(
        `INSERT INTO visit_leases (offer_id, period, starts, taken)
         SELECT $1, $2, $3, count(*) FROM visits WHERE desk_id = $4 AND offer_id = $1 AND at >= $3
           AND day >= ($3::timestamptz AT TIME ZONE 'UTC')::date
           AND NOT is_bot AND NOT is_repeat AND NOT is_test
         ON CONFLICT DO NOTHING`,
        [...of, part.deskId],
      );
      ({ rows } = await update());
    }
    return Number(rows[0]?.granted ?? 0);
  }

  private async giveBack({ offer, now, next, asking }: Capped): Promise<void> {
    await asking;
    for (const lease of [now, next])
      if (lease && lease.left > 0) {
        const { left } = lease;
        lease.left = 0;
        await this.pool
          .query(
            `UPDATE visit_leases SET taken = greatest(0, taken - $4) WHERE offer_id = $1 AND period = $2 AND starts = $3`,
            [offer.part.id, offer.part.body.visitCapPeriod, moment(lease.startMs), left],
          )
          .catch((error: unknown) => this.onTrouble(error));
      }
  }
}

const isLow = ({ part }: CompiledOffer, { left }: Lease): boolean =>
  left <= blockOf(part.body.visitCapCount) / 2;

const periodOf = ({ part, zone }: CompiledOffer, ms: number): Span =>
  capPeriodAt(ms, part.body.visitCapPeriod, zone);

function isSameCap(a: CompiledOffer, b: CompiledOffer): boolean {
  const [one, other] = [a.part.body, b.part.body];
  return (
    one.visitCapCount === other.visitCapCount &&
    one.visitCapPeriod === other.visitCapPeriod &&
    a.zone === b.zone
  );
}

/** As PostgreSQL reads it; a cap in total began before everything. */
export const moment = (ms: number): string => (ms === -Infinity ? '-infinity' : new Date(ms).toISOString());
