/** What came of late on this campaign, for all that shows it beside its routing. Missing figures leave the editor as it is. */
import type { RecentCampaign, RecentValues, RecentWay } from '@tracheon/core/contract';
import { inject, onMounted, provide, ref, type InjectionKey, type Ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { onNews } from '../../../app/stream.ts';
import { count, percent } from '../../../ui/format.ts';

interface Recent {
  /** null: not loaded. */
  ways: RecentCampaign | null;
  values: RecentValues | null;
}
const key: InjectionKey<Ref<Recent>> = Symbol('recent');
/** Ten thousand visits are read for it. */
const AGAIN_AFTER_MS = 60_000;

export function provideRecent(campaignId: string): Ref<Recent> {
  const recent = ref<Recent>({ ways: null, values: null });
  const [asksWays, asksValues] = [newest(), newest()];
  const quiet = (): void => undefined;
  const load = (): void => {
    void asksWays(
      ask('recentCampaign', { id: campaignId, query: {} }),
      (ways) => (recent.value = { ...recent.value, ways }),
      quiet,
    );
    void asksValues(
      ask('recentValues', { id: campaignId }),
      (values) => (recent.value = { ...recent.value, values }),
      quiet,
    );
  };
  provide(key, recent);
  onMounted(load);
  onNews(['visits'], load, AGAIN_AFTER_MS);
  return recent;
}
export const useRecent = (): Ref<Recent> => inject(key, () => ref({ ways: null, values: null }), true);

const sum = (ways: readonly RecentWay[], of: 'visits' | 'converted'): number =>
  ways.reduce((total, way) => total + way[of], 0);

/** What the last 7 days brought a pairing; empty while nothing is known of the branch. */
export function latelyWords(recent: RecentCampaign | null, wayId: string, pairingId: string): string {
  const ofBranch = recent?.ways.filter((w) => w.branchId === wayId) ?? [];
  const all = sum(ofBranch, 'visits');
  if (all === 0) return '';
  const own = ofBranch.filter((w) => w.pairingId === pairingId);
  const visits = sum(own, 'visits');
  if (visits === 0) return 'Last 7 days: no visits.';
  const converted = sum(own, 'converted');
  const astray = sum(
    own.filter((w) => w.fate !== 'sent'),
    'visits',
  );
  return [
    `Last 7 days: ${count(visits)} ${visits === 1 ? 'visit' : 'visits'} (${percent(visits / all, 0)} of the branch)`,
    `${count(converted)} with a conversion (${percent(converted / visits, 1)})`,
    ...(astray > 0 ? [`${count(astray)} sent elsewhere because its offer took no visitors`] : []),
  ].join(', ');
}

/** Of one branch, among all visits of the campaign. */
export function branchLatelyWords(recent: RecentCampaign | null, wayId: string): string {
  if (!recent || recent.visits === 0) return '';
  const visits = sum(
    recent.ways.filter((w) => w.branchId === wayId),
    'visits',
  );
  if (visits === 0) return 'no visits in the last 7 days';
  return `${percent(visits / recent.visits, 0)} of the last 7 days${recent.isCut ? ' (newest 10,000 visits)' : ''}`;
}
