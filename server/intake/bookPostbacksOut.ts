/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
import { createHash } from 'node:crypto';
import { postbacksDue, type FoldedConversion, type Transition } from '@tracheon/core/conversions';
import { convertBetween, rateOn } from '@tracheon/core/money';
import { ulidAt } from '../db/pooledUlid.ts';
import type { Pipelined, Reads } from '../db/pools.ts';
import type { OwnerContext } from './ownerContext.ts';
import { localDay } from '@tracheon/core/time';
import { postbackTemplate, postbackText } from './postbackText.ts';
import type { StandingPostback } from './standing.ts';

export interface PostbackRules {
  standing: readonly StandingPostback[];
  extras: Readonly<Record<string, string>>;
  /** Whether the source is told of a conversion, as it was decided when it arose. */
  isReportedOf: (conversionId: string) => boolean | null;
}

/**
 * Whether this conversion belongs to the share of which the source is told. By the visit and the event type, so that it
 * is the same in whatever order calls are judged; stored with the conversion, so that a changed share changes no past.
 */
export function isReported({ source, visit, eventType }: OwnerContext): boolean {
  const { reportedShare } = source.body;
  // Whether a test is told is ticked, not drawn.
  if (reportedShare >= 100 || visit.isTest) return true;
  const hash = createHash('sha256').update(`${visit.id}|${eventType.id}`).digest();
  return hash.readUInt32BE(0) % 100 < reportedShare;
}

export async function storePostbacksOut(
  client: Pipelined,
  context: OwnerContext,
  rules: PostbackRules,
  conversions: readonly FoldedConversion[],
  ids: ReadonlyMap<string, string>,
): Promise<void> {
  const { deskId } = context;
  for (const c of conversions) {
    const conversionId = ids.get(c.ident)!;
    const there = rules.standing.filter((o) => o.conversion_id === conversionId);
    const due = rules.isReportedOf(conversionId) === false ? [] : dueNow(context, c);
    const gone = there.filter((o) => o.untouched && !due.some((t) => t.status === o.status));
    if (gone.length > 0)
      client.write(
        `DELETE FROM outbox WHERE desk_id = $1 AND conversion_id = $2 AND state = 'waiting' AND tries = 0 AND status = ANY ($3)`,
        [deskId, conversionId, gone.map((o) => o.status)],
      );
    for (const [seq, transition] of due.entries()) {
      const url = await urlOf(client, context, c, transition, { id: conversionId, extras: rules.extras });
      const same = there.find((o) => o.status === transition.status);
      if (same && (!same.untouched || (same.seq === seq && same.url === url))) continue;
      enter(client, context, conversionId, seq, transition.status, url);
    }
  }
}

/** What the source wants to know of a conversion as it stands, in order. */
function dueNow(context: OwnerContext, c: FoldedConversion): Transition[] {
  const { source, visit, eventType } = context;
  const { reportEvents, reportStatuses } = source.body;
  const wanted =
    postbackTemplate(context) !== '' &&
    (!visit.isTest || visit.isReportedTest) &&
    !visit.notes.includes('erased') &&
    (reportEvents.length === 0 || reportEvents.includes(eventType.id));
  return wanted ? postbacksDue(c, reportStatuses) : [];
}

interface Named {
  id: string;
  extras: Readonly<Record<string, string>>;
}

async function urlOf(
  client: Reads,
  context: OwnerContext,
  c: FoldedConversion,
  t: Transition,
  { id, extras }: Named,
): Promise<string> {
  return postbackText(context, c, await inSourceCurrency(client, context, c, t), id, extras);
}

/** The address that tells the source of one status, as it would be today; null when the source does not want it. */
export async function urlToday(
  client: Reads,
  context: OwnerContext,
  c: FoldedConversion,
  conversion: Named,
  status: string,
): Promise<string | null> {
  const transition = dueNow(context, c).find((t) => t.status === status);
  return transition ? urlOf(client, context, c, transition, conversion) : null;
}

/** The payout as the source wants it; while a rate is missing, as it was booked, with its own currency beside it. */
async function inSourceCurrency(
  client: Reads,
  { deskId, desk, source }: OwnerContext,
  c: FoldedConversion,
  t: Transition,
): Promise<Transition> {
  const { costCurrency: wanted, reportPayout } = source.body;
  if (reportPayout !== 'converted' || t.currency === wanted) return t;
  const day = localDay(c.convertedAt, desk.zone);
  const { rows } = await client.query<{ base: string; day: string; nanos: string }>(
    'SELECT base, day, nanos FROM rates WHERE desk_id = $1 AND base = ANY ($2) AND day <= $3',
    [deskId, [t.currency, wanted], day],
  );
  const rates = rows.map((r) => ({ ...r, nanos: BigInt(r.nanos) }));
  const from = rateOn(rates, t.currency, desk.currency, day);
  const to = rateOn(rates, wanted, desk.currency, day);
  return from === null || to === null
    ? t
    : { ...t, payout: convertBetween(t.payout, from, to), currency: wanted };
}

/** What would come after its own successor is not sent any more: the source would read it as the newer one. */
function enter(
  client: Pipelined,
  { deskId, source, visit }: OwnerContext,
  conversionId: string,
  seq: number,
  status: string,
  url: string,
): void {
  client.write(
    `INSERT INTO outbox (id, desk_id, conversion_id, source_id, campaign_id, seq, status, url, state)
     SELECT $1, $2, $3, $4, $5, $6, $7, $8, CASE WHEN EXISTS (
       SELECT 1 FROM outbox WHERE desk_id = $2 AND conversion_id = $3 AND seq >= $6 AND status <> $7 AND state = 'delivered')
       THEN 'superseded' ELSE 'waiting' END
     ON CONFLICT ON CONSTRAINT outbox_once DO UPDATE SET seq = excluded.seq, url = excluded.url
     WHERE outbox.state = 'waiting' AND outbox.tries = 0`,
    [ulidAt(Date.now()), deskId, conversionId, source.id, visit.campaignId, seq, status, url],
  );
}
