/** Figures of one event type: how many there were, what they bring, and both in relation to visits and cost. */
import { isCounted, statusOf, type EventSums, type Figures } from '../contract/index.ts';
import { expectedOf, type ApprovalRate, type Sums } from './figures.ts';

export const eventFigureKinds = ['count', 'revenue', 'rate', 'cost', 'margin'] as const;
export type EventFigureKind = (typeof eventFigureKinds)[number];
export interface EventFigure {
  eventTypeId: string;
  kind: EventFigureKind;
}

export const eventFigureName = ({ eventTypeId, kind }: EventFigure): string => `event_${eventTypeId}_${kind}`;
/** null for every other figure. */
export function readEventFigure(name: string): EventFigure | null {
  const [, eventTypeId, kind] = /^event_([0-9A-Z]{26})_(count|revenue|rate|cost|margin)$/.exec(name) ?? [];
  return eventTypeId === undefined ? null : { eventTypeId, kind: kind as EventFigureKind };
}
const OWN = 'own_';
export const ownFigureName = (id: string): string => OWN + id;
/** The ID of a figure of the desk; null for every other one. */
export const readOwnFigure = (name: string): string | null =>
  name.startsWith(OWN) ? name.slice(OWN.length) : null;

/** Pending and approved conversions of each event type, their expected revenue, and what partners get for them. */
export function eventSums({ conversions }: Pick<Sums, 'conversions'>, approval: ApprovalRate): EventSums[] {
  const all = new Map<string, { count: number; amount: bigint; partner: bigint }>();
  for (const c of conversions) {
    const { balance } = statusOf[c.status];
    if (!isCounted(c.status)) continue;
    const sum = all.get(c.eventTypeId) ?? { count: 0, amount: 0n, partner: 0n };
    sum.count += c.count;
    sum.partner += c.partner;
    if (balance === 'earn') sum.amount += c.amount;
    if (balance === 'hold')
      sum.amount += expectedOf(c.amount, approval(c.offerId, c.networkId, c.eventTypeId));
    all.set(c.eventTypeId, sum);
  }
  return [...all].map(([eventTypeId, { count, amount, partner }]) => ({
    eventTypeId,
    count,
    revenueMicros: amount.toString(),
    partnerMicros: partner.toString(),
  }));
}

const noEvents = { count: 0, revenueMicros: '0', partnerMicros: '0' };

/** Amounts in whole units of the currency; null for a division by zero, or while no cost is known. */
export function eventFigure(
  { eventTypeId, kind }: EventFigure,
  { figures, events }: { figures: Figures; events: readonly EventSums[] },
): number | null {
  const sums = events.find((e) => e.eventTypeId === eventTypeId) ?? noEvents;
  switch (kind) {
    case 'count':
      return sums.count;
    case 'revenue':
      return Number(sums.revenueMicros) / 1e6;
    case 'margin':
      return (Number(sums.revenueMicros) - Number(sums.partnerMicros)) / 1e6;
    case 'rate':
      return figures.visits === 0 ? null : sums.count / figures.visits;
    case 'cost':
      return sums.count === 0 || figures.profitMicros === null
        ? null
        : Number(figures.spentMicros) / 1e6 / sums.count;
  }
}
