/** Brings the outbox to what the fold calls for. What was sent stays sent; what waits untried may change or go. */
import { createHash } from 'node:crypto';
import {
  postbacksDue,
  type FoldedConversion,
  type PostbackDue,
  type Transition,
} from '@tracheon/core/conversions';
import { convertBetween } from '@tracheon/core/money';
import { ulidAt } from '../db/pooledUlid.ts';
import { isSourced, type OwnerContext, type SourcedContext } from './ownerContext.ts';
import { partnerDestination } from './partnerPostback.ts';
import type { OutboxName } from './judgementWrites.ts';
import type { Bookings } from './book.ts';
import type { Rates } from './rates.ts';
import { postbackRequest, postbackTemplate, type PostbackRequest } from './postbackText.ts';
import type { StandingPostback } from './standing.ts';

export interface PostbackRules {
  standing: readonly StandingPostback[];
  extras: Readonly<Record<string, string>>;
  /** Whether a destination is told of a conversion, as it was decided when it arose. */
  isToldOf: (conversionId: string, destinationId: string) => boolean;
}

/**
 * Whether this conversion belongs to the share of which the source is told. By the visit and the event type, so that it
 * is the same in whatever order calls are judged; stored with the conversion, so that a changed share changes no past.
 */
export function isReported({ source, visit, eventType }: OwnerContext): boolean {
  const reportedShare = source?.body.reportedShare ?? 100;
  // Whether a test is told is ticked, not drawn.
  if (reportedShare >= 100 || visit.isTest) return true;
  const hash = createHash('sha256').update(`${visit.id}|${eventType.id}`).digest();
  return hash.readUInt32BE(0) % 100 < reportedShare;
}

/** Whom conversions of an owner are told to, and what of them. */
export interface Destination {
  id: string;
  campaignId: string;
  delayMs: number;
  /** What it wants to know of a conversion as it stands, in order. */
  due: (c: FoldedConversion) => PostbackDue[];
  request: (c: FoldedConversion, due: Transition, of: Named) => Promise<PostbackRequest>;
}

function destinationsOf(rates: Rates, context: OwnerContext): Destination[] {
  const partner = partnerDestination(context);
  if (!isSourced(context)) return partner ? [partner] : [];
  const { source, visit } = context;
  const toSource: Destination = {
    id: source.id,
    campaignId: visit.campaignId,
    delayMs: source.body.reportDelayMinutes * MINUTE_MS,
    due: (c) => dueNow(context, c),
    request: (c, due, of) => requestOf(rates, context, c, due, of),
  };
  return partner ? [toSource, partner] : [toSource];
}

export const outboxName = (
  deskId: string,
  { conversion_id, destination_id, status, nth }: StandingPostback,
): OutboxName => ({ desk_id: deskId, conversion_id, destination_id, status, nth });

export async function storePostbacksOut(
  { writes, rates }: Bookings,
  context: OwnerContext,
  rules: PostbackRules,
  conversions: readonly FoldedConversion[],
  ids: ReadonlyMap<string, string>,
): Promise<void> {
  const { deskId } = context;
  const destinations = destinationsOf(rates, context);
  if (destinations.length === 0 && rules.standing.length === 0) return;
  for (const c of conversions) {
    const conversionId = ids.get(c.ident)!;
    const there = rules.standing.filter((o) => o.conversion_id === conversionId);
    const wanted = destinations.map((to) => ({ to, due: dueTo(to, c, conversionId, rules) }));
    for (const row of there) {
      const due = wanted.find(({ to }) => to.id === row.destination_id)?.due ?? [];
      if (row.untouched && !due.some((t) => t.status === row.status && t.nth === row.nth))
        writes.goneOutbox.push(outboxName(deskId, row));
    }
    for (const { to, due } of wanted)
      for (const [seq, transition] of due.entries()) {
        const request = await to.request(c, transition, { id: conversionId, extras: rules.extras });
        const same = there.find(
          (o) => o.destination_id === to.id && o.status === transition.status && o.nth === transition.nth,
        );
        const dueMs = transition.at + to.delayMs;
        if (
          same &&
          (!same.untouched || (same.seq === seq && isSame(same, request) && isDueThen(same, dueMs)))
        )
          continue;
        writes.outbox.push({
          id: ulidAt(Date.now()),
          desk_id: deskId,
          conversion_id: conversionId,
          destination_id: to.id,
          campaign_id: to.campaignId,
          seq,
          status: transition.status,
          nth: transition.nth,
          ...request,
          due_at: new Date(dueMs).toISOString(),
        });
      }
  }
}

/** The reported share is the source's: a partner is told of all that it gets. */
const dueTo = (to: Destination, c: FoldedConversion, id: string, rules: PostbackRules): PostbackDue[] =>
  rules.isToldOf(id, to.id) ? to.due(c) : [];

const MINUTE_MS = 60_000;
/** What is due in the past is due when it was made. */
const isDueThen = ({ due_at }: StandingPostback, dueMs: number): boolean =>
  due_at.getTime() === dueMs || dueMs <= Date.now();
const isSame = (a: PostbackRequest, b: PostbackRequest): boolean =>
  a.method === b.method && a.url === b.url && a.body === b.body;

/** What the source wants to know of a conversion as it stands, in order. */
function dueNow(context: SourcedContext, c: FoldedConversion): PostbackDue[] {
  const { reportStatuses: statuses, reportAgain: again, reportDelayMinutes } = context.source.body;
  if (whyNever(context) !== '') return [];
  return postbacksDue(c, { statuses, again, delayMs: reportDelayMinutes * MINUTE_MS });
}

/** Why the source is told of no conversion of this visit and event type; empty when it is told of some. */
function whyNever(context: SourcedContext): string {
  const { source, visit, eventType } = context;
  const { reportEvents } = source.body;
  if (postbackTemplate(context) === '') return 'The source has no postback URL.';
  if (visit.isTest && !visit.isReportedTest) return 'This is a test that is not reported.';
  if (visit.notes.includes('erased')) return 'The data of this visit was erased.';
  if (reportEvents.length > 0 && !reportEvents.includes(eventType.id))
    return 'You don’t report this event type to the source.';
  return '';
}

/** Why the source gets no postback for the conversion as it stands; empty when it gets one. */
export function whyNotSent(context: SourcedContext, c: FoldedConversion): string {
  const never = whyNever(context);
  if (never !== '') return never;
  return context.source.body.reportStatuses.includes(c.status)
    ? ''
    : `You don’t report the status ${c.status} to the source.`;
}

export interface Named {
  id: string;
  extras: Readonly<Record<string, string>>;
}

async function requestOf(
  rates: Rates,
  context: SourcedContext,
  c: FoldedConversion,
  t: Transition,
  { id, extras }: Named,
): Promise<PostbackRequest> {
  return postbackRequest(context, c, await asReported(rates, context, c, t), id, extras);
}

/** The request that tells a destination of one change, as it would be today; null when it does not want it. */
export async function requestToday(
  rates: Rates,
  context: OwnerContext,
  c: FoldedConversion,
  conversion: Named,
  { status, nth, destinationId }: Pick<PostbackDue, 'status' | 'nth'> & { destinationId: string },
): Promise<PostbackRequest | null> {
  const to = destinationsOf(rates, context).find((d) => d.id === destinationId);
  const transition = to?.due(c).find((t) => t.status === status && t.nth === nth);
  return to && transition ? to.request(c, transition, conversion) : null;
}

/** As the conversion's newest change would be reported, whether or not the source wants it. */
export const requestNow = (
  rates: Rates,
  context: SourcedContext,
  c: FoldedConversion,
  conversion: Named,
): Promise<PostbackRequest> => requestOf(rates, context, c, c.transitions.at(-1)!, conversion);

/** The payout as the source wants it; while a rate is missing, as it was booked, with its own currency beside it. */
async function asReported(
  rates: Rates,
  context: SourcedContext,
  c: FoldedConversion,
  t: Transition,
): Promise<Transition> {
  const { costCurrency: wanted, reportPayout, reportFixed } = context.source.body;
  if (reportPayout === 'fixed') return { ...t, payout: BigInt(reportFixed), currency: wanted };
  if (reportPayout !== 'converted' || t.currency === wanted) return t;
  const [from, to] = await Promise.all([
    rates.on(context, t.currency, c.convertedAt),
    rates.on(context, wanted, c.convertedAt),
  ]);
  return from === null || to === null
    ? t
    : { ...t, payout: convertBetween(t.payout, from, to), currency: wanted };
}
