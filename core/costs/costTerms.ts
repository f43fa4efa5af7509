/**
 * What a campaign's visits cost by its model, and since when: from the versions of the campaign. A term that begins before it
 * was saved reprices visits that are there already.
 */
import type { CampaignInput } from '../contract/index.ts';
import type { Micros } from '../money/index.ts';
import { dayStart } from '../time/index.ts';

export type CostModel = CampaignInput['costModel'];
type CostFields = Pick<
  CampaignInput,
  'costModel' | 'costMicros' | 'costCurrency' | 'costShare' | 'costEventTypeId' | 'costSince'
>;
export interface CampaignVersion {
  savedAt: number;
  body: CostFields;
}

export interface CostTerm {
  /** In ms since 1970; the second is not in it. */
  from: number;
  to: number;
  model: CostModel;
  micros: Micros;
  currency: string;
  /** In percent × 10⁶. */
  share: bigint;
  /** Empty: every event type that counts as a conversion. */
  eventTypeId: string;
  /** It was saved after the visits of this time had come, and so was not what they were stored with. */
  isLater: boolean;
}

const EVER = 8_640_000_000_000_000;
/** As `costSince` says it. */
export const SINCE_START = 'start';

const fieldsOf = (b: CostFields): string =>
  [b.costModel, b.costMicros, b.costCurrency, b.costShare, b.costEventTypeId, b.costSince].join('|');

/** In the order of time and without a gap; days are those of the desk's zone. `versions` are in the order of their saving. */
export function costTerms(versions: readonly CampaignVersion[], zone: string): CostTerm[] {
  let terms: CostTerm[] = [];
  let before = '';
  versions.forEach(({ savedAt, body }, i) => {
    const fields = fieldsOf(body);
    if (fields === before) return;
    before = fields;
    const since = sinceMs(body.costSince, zone) ?? savedAt;
    // Of the first version everything is: visits can come in a moment before it is saved only by a clock that was set.
    const from = i === 0 ? -EVER : Math.min(since, savedAt);
    const made = {
      model: body.costModel,
      micros: BigInt(body.costMicros === '' ? '0' : body.costMicros),
      currency: body.costCurrency,
      share: BigInt(body.costShare),
      eventTypeId: body.costEventTypeId,
    };
    terms = terms.filter((t) => t.from < from).map((t) => (t.to > from ? { ...t, to: from } : t));
    if (from < savedAt && i > 0) terms.push({ from, to: savedAt, ...made, isLater: true });
    terms.push({ from: i === 0 ? from : savedAt, to: EVER, ...made, isLater: false });
  });
  return terms;
}

function sinceMs(since: string, zone: string): number | null {
  if (since === '') return null;
  return since === SINCE_START ? -EVER : dayStart(since, zone);
}

/** A conversion, as far as a cost for it goes. */
export interface CostedConversion {
  eventTypeId: string;
  countsAsConversion: boolean;
  countsAsRevenue: boolean;
  /** Pending or approved. */
  isCounted: boolean;
  amount: Micros;
}

const HUNDRED_PERCENT = 100_000_000n;
/** What a visit costs for one of its conversions, without fees, in the term's currency, or for a share in the amount's. */
export function costOfConversion(
  term: Pick<CostTerm, 'model' | 'micros' | 'share' | 'eventTypeId'>,
  of: CostedConversion,
): Micros {
  if (!of.isCounted) return 0n;
  if (term.model === 'conversion') {
    const isMeant = term.eventTypeId === '' ? of.countsAsConversion : of.eventTypeId === term.eventTypeId;
    return isMeant ? term.micros : 0n;
  }
  if (term.model !== 'share' || !of.countsAsRevenue || of.amount <= 0n) return 0n;
  return (2n * of.amount * term.share + HUNDRED_PERCENT) / (2n * HUNDRED_PERCENT);
}

/** Models whose cost is known only from what comes later. */
export const isByConversions = (model: CostModel): boolean => model === 'conversion' || model === 'share';
