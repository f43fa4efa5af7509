/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
import { createHash } from 'node:crypto';
import { postbacksDue, type FoldedConversion, type Transition } from '@tracheon/core/conversions';
import { convertBetween } from '@tracheon/core/money';
import { ulidAt } from '../db/pooledUlid.ts';
import type { OwnerContext } from './ownerContext.ts';
import type { Bookings } from './book.ts';
import type { Rates } from './rates.ts';
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
  { writes, rates }: Bookings,
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
    for (const { status, untouched } of there)
      if (untouched && !due.some((t) => t.status === status))
        writes.goneOutbox.push({ desk_id: deskId, conversion_id: conversionId, status });
    for (const [seq, transition] of due.entries()) {
      const url = await urlOf(rates, context, c, transition, { id: conversionId, extras: rules.extras });
      const same = there.find((o) => o.status === transition.status);
      if (same && (!same.untouched || (same.seq === seq && same.url === url))) continue;
      writes.outbox.push({
        id: ulidAt(Date.now()),
        desk_id: deskId,
        conversion_id: conversionId,
        source_id: context.source.id,
        campaign_id: context.visit.campaignId,
        seq,
        status: transition.status,
        url,
      });
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
  rates: Rates,
  context: OwnerContext,
  c: FoldedConversion,
  t: Transition,
  { id, extras }: Named,
): Promise<string> {
  return postbackText(context, c, await inSourceCurrency(rates, context, c, t), id, extras);
}

/** The address that tells the source of one status, as it would be today; null when the source does not want it. */
export async function urlToday(
  rates: Rates,
  context: OwnerContext,
  c: FoldedConversion,
  conversion: Named,
  status: string,
): Promise<string | null> {
  const transition = dueNow(context, c).find((t) => t.status === status);
  return transition ? urlOf(rates, context, c, transition, conversion) : null;
}

/** The payout as the source wants it; while a rate is missing, as it was booked, with its own currency beside it. */
async function inSourceCurrency(
  rates: Rates,
  context: OwnerContext,
  c: FoldedConversion,
  t: Transition,
): Promise<Transition> {
  const { costCurrency: wanted, reportPayout } = context.source.body;
  if (reportPayout !== 'converted' || t.currency === wanted) return t;
  const [from, to] = await Promise.all([
    rates.on(context, t.currency, c.convertedAt),
    rates.on(context, wanted, c.convertedAt),
  ]);
  return from === null || to === null
    ? t
    : { ...t, payout: convertBetween(t.payout, from, to), currency: wanted };
}
