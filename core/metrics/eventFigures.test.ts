import { expect, it } from '@jest/globals';
import type { Figures } from '../contract/index.ts';
import { eventFigure, eventSums } from './eventFigures.ts';
import type { ConversionSums } from './figures.ts';

const of = (
  eventTypeId: string,
  status: ConversionSums['status'],
  count: number,
  amount: bigint,
): ConversionSums => ({
  offerId: 'o',
  networkId: 'n',
  eventTypeId,
  status,
  countsAsConversion: true,
  countsAsRevenue: true,
  estimated: 0n,
  partner: amount / 4n,
  count,
  amount,
});

it('counts pending and approved ones of each type, with what they are expected to bring', () => {
  const events = eventSums(
    {
      conversions: [
        of('sale', 'approved', 2, 20_000_000n),
        of('sale', 'pending', 1, 10_000_000n),
        of('sale', 'rejected', 4, 40_000_000n),
        of('lead', 'approved', 5, 0n),
      ],
    },
    () => ({ basis: '', approved: 1, decided: 2 }),
  );
  expect(events).toEqual([
    { eventTypeId: 'sale', count: 3, revenueMicros: '25000000', partnerMicros: '7500000' },
    { eventTypeId: 'lead', count: 5, revenueMicros: '0', partnerMicros: '0' },
  ]);
  const figures = { visits: 100, spentMicros: '6000000', profitMicros: '19000000' } as Figures;
  const told = (eventTypeId: string) =>
    (['count', 'revenue', 'rate', 'cost', 'margin'] as const).map((kind) =>
      eventFigure({ eventTypeId, kind }, { figures, events }),
    );
  expect(told('sale')).toEqual([3, 25, 0.03, 2, 17.5]);
  expect(told('none')).toEqual([0, 0, 0, null, 0]);
  const free = { ...figures, visits: 0, profitMicros: null };
  expect(eventFigure({ eventTypeId: 'sale', kind: 'rate' }, { figures: free, events })).toBeNull();
  expect(eventFigure({ eventTypeId: 'sale', kind: 'cost' }, { figures: free, events })).toBeNull();
});
