/** The odds of a campaign's automatic splits, for all that shows shares on its routing. */
import type { SplitOddsRow, Way } from '@tracheon/core/contract';
import { sharesOf, WARM_UP_CONVERSIONS, WARM_UP_VISITS } from '@tracheon/core/routing';
import { inject, onMounted, provide, ref, type InjectionKey, type Ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { onNews } from '../../../app/stream.ts';
import { counted, money, percent } from '../../../ui/format.ts';

interface Odds {
  byWay: ReadonlyMap<string, SplitOddsRow>;
  /** Why they could not be loaded; empty when nothing is wrong. */
  failure: string;
}
const key: InjectionKey<Ref<Odds>> = Symbol('odds');
const none: Odds = { byWay: new Map(), failure: '' };
/** They are computed once a minute. */
const AGAIN_AFTER_MS = 30_000;

/** Loads them, and again when visits have come. */
export function provideOdds(campaignId: string): void {
  const odds = ref(none);
  const asks = newest();
  const load = (): Promise<void> =>
    asks(
      ask('splitOdds', { id: campaignId }),
      (rows) => (odds.value = { byWay: new Map(rows.map((r) => [r.wayId, r])), failure: '' }),
      (failure) => (odds.value = { ...odds.value, failure }),
    );
  provide(key, odds);
  onMounted(load);
  onNews(['visits', 'conversions'], load, AGAIN_AFTER_MS);
}

export const useOdds = (): Ref<Odds> => inject(key, () => ref(none), true);

export const sharesByOdds = (way: Way, row: SplitOddsRow | undefined): number[] =>
  sharesOf(way, new Map(row?.arms.map((a) => [a.pairingId, a.odds])));

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
/** Ten thousand draws never make it certain. */
const likely = (chance: number): string =>
  chance > 0.99
    ? `over ${percent(0.99, 0)}`
    : chance < 0.01
      ? `under ${percent(0.01, 0)}`
      : percent(chance, 0);

/** Why a pairing has its share. */
export function oddsWords(row: SplitOddsRow | undefined, pairingId: string, currency: string): string {
  const arm = row?.arms.find((a) => a.pairingId === pairingId);
  if (!arm) return 'Not measured yet.';
  const seen = `${counted(Math.round(arm.visits), 'visit')}, ${counted(arm.conversions, 'conversion')}`;
  if (arm.chanceOfBest === null) return seen;
  const perVisit = arm.visits > 0 ? BigInt(Math.round(arm.expectedMicros / arm.visits)) : 0n;
  return `${capital(likely(arm.chanceOfBest))} likely to earn the most: expected ${money(perVisit, 3)} ${currency} per visit, from ${seen}`;
}

/** What the whole split says of itself. */
export const splitWords = (row: SplitOddsRow | undefined): string =>
  row?.state === 'learned'
    ? 'Tracheon updates the shares every minute. Young visits count only in part, because their conversions may still arrive.'
    : `Tracheon splits visitors evenly until each pairing has ${WARM_UP_VISITS} visits and the branch has ${WARM_UP_CONVERSIONS} conversions.`;
