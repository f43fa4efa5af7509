import { describe, expect, it } from '@jest/globals';
import { costOfConversion, costTerms, type CampaignVersion } from './costTerms.ts';

const DAY = 86_400_000;
const ZONE = 'Europe/Brussels';
const at = (day: string): number => Date.parse(`${day}T12:00:00Z`);
const version = (day: string, more: Partial<CampaignVersion['body']> = {}): CampaignVersion => ({
  savedAt: at(day),
  body: {
    costModel: 'visit',
    costMicros: '20000',
    costCurrency: 'EUR',
    costShare: '0',
    costEventTypeId: '',
    costSince: '',
    ...more,
  },
});
const told = (versions: CampaignVersion[], when: number) =>
  costTerms(versions, ZONE).find((t) => t.from <= when && when < t.to)!;

describe('the cost of a campaign', () => {
  it('is for ever what its first version says', () => {
    expect(costTerms([version('2026-11-01')], ZONE)).toMatchObject([{ micros: 20_000n, isLater: false }]);
  });
  it('that changes from now on leaves earlier visits as they are', () => {
    const both = [version('2026-11-01'), version('2026-11-10', { costMicros: '30000' })];
    expect(told(both, at('2026-11-10') - 1)).toMatchObject({ micros: 20_000n, isLater: false });
    expect(told(both, at('2026-11-10'))).toMatchObject({ micros: 30_000n, isLater: false });
  });
  it('that changes from a day reprices the visits since it, by the day of the desk', () => {
    const both = [
      version('2026-11-01'),
      version('2026-11-10', { costMicros: '30000', costSince: '2026-11-05' }),
    ];
    const start = Date.parse('2026-11-04T23:00:00Z');
    expect(told(both, start - 1)).toMatchObject({ micros: 20_000n, isLater: false });
    expect(told(both, start)).toMatchObject({ micros: 30_000n, isLater: true });
    expect(told(both, at('2026-11-10') + DAY)).toMatchObject({ micros: 30_000n, isLater: false });
  });
  it('that changes from the start reprices everything, also what was repriced before', () => {
    const all = [
      version('2026-11-01'),
      version('2026-11-10', { costMicros: '30000', costSince: '2026-11-05' }),
      version('2026-11-12', { costMicros: '40000', costSince: 'start' }),
    ];
    expect(costTerms(all, ZONE)).toMatchObject([
      { micros: 40_000n, isLater: true, to: at('2026-11-12') },
      { micros: 40_000n, isLater: false },
    ]);
  });
  it('does not begin again when something else of the campaign is saved', () => {
    const all = [
      version('2026-11-01'),
      version('2026-11-10', { costMicros: '30000', costSince: '2026-11-05' }),
      version('2026-11-20', { costMicros: '30000', costSince: '2026-11-05' }),
    ];
    expect(costTerms(all, ZONE)).toEqual(costTerms(all.slice(0, 2), ZONE));
  });
});

describe('the cost of a conversion', () => {
  const sale = {
    eventTypeId: 'sale',
    countsAsConversion: true,
    countsAsRevenue: true,
    isCounted: true,
    amount: 10_000_001n,
  };
  const term = { micros: 3_000_000n, share: 12_500_000n, eventTypeId: '' };
  it('is the same for each of its event type', () => {
    expect(costOfConversion({ ...term, model: 'conversion' }, sale)).toBe(3_000_000n);
    expect(costOfConversion({ ...term, model: 'conversion', eventTypeId: 'lead' }, sale)).toBe(0n);
    expect(costOfConversion({ ...term, model: 'conversion' }, { ...sale, countsAsConversion: false })).toBe(
      0n,
    );
  });
  it('is a share of its revenue, rounded once', () => {
    expect(costOfConversion({ ...term, model: 'share' }, sale)).toBe(1_250_000n);
    expect(costOfConversion({ ...term, model: 'share' }, { ...sale, countsAsRevenue: false })).toBe(0n);
  });
  it('is nothing when it is rejected, or costs by visits', () => {
    expect(costOfConversion({ ...term, model: 'conversion' }, { ...sale, isCounted: false })).toBe(0n);
    expect(costOfConversion({ ...term, model: 'visit' }, sale)).toBe(0n);
  });
});
