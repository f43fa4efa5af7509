/** The campaigns of the list: with their figures, narrowed, and the total of what is shown. */
import { offersOf } from '@tracheon/core/routing';
import { computed, onMounted, reactive, ref, shallowRef, watch } from 'vue';
import type { CampaignsReport, Figures } from '@tracheon/core/contract';
import { addFigures } from '@tracheon/core/metrics';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { onNews } from '../../app/stream.ts';
import type { ListFilter } from '../../shared/ListHead.vue';
import { isCompared, usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { TREND_DAYS } from './campaignColumns.ts';
import type { CampaignRow } from './groupRows.ts';

const NEWS_PAUSE_MS = 2000;

export function useCampaignRows() {
  const parts = useParts();
  const { range, before } = usePeriod();
  const report = shallowRef<CampaignsReport | null>(null);
  const reportBefore = shallowRef<CampaignsReport | null>(null);
  const failure = ref('');
  const search = ref('');
  const chosen = reactive<Record<string, string>>({ state: '', source: '', offer: '', tag: '' });

  const { building, indexed } = useIndexed(() => void load());
  const asks = newest();
  const load = (): Promise<void> =>
    asks(
      indexed(() =>
        Promise.all([
          ask('campaignsReport', { query: { ...range.value, trend: TREND_DAYS, verdicts: 'true' } }),
          isCompared.value ? ask('campaignsReport', { query: before.value }) : null,
        ]),
      ),
      (both) => {
        [report.value, reportBefore.value] = both;
        failure.value = '';
      },
      (why) => {
        failure.value = why;
      },
    );
  onMounted(load);
  watch([range, isCompared], load);
  onNews(['numbers', 'parts'], load, NEWS_PAUSE_MS);

  const isNarrowed = computed(
    () => search.value.trim() !== '' || Object.values(chosen).some((v) => v !== ''),
  );
  /** Archived campaigns are shown when they are asked for. */
  const campaigns = computed(() => parts.of('campaign', chosen.state === 'archived'));
  const rows = computed<CampaignRow[]>(() => {
    const found = new Map(report.value?.rows.map((r) => [r.campaignId, r]));
    const words = search.value.trim().toLowerCase();
    return campaigns.value
      .filter(
        ({ state: now, body }) =>
          (!chosen.state || now === chosen.state) &&
          (!chosen.source || body.sourceId === chosen.source) &&
          (!chosen.offer || offersOf(body).includes(chosen.offer)) &&
          (!chosen.tag || body.tags.includes(chosen.tag)) &&
          body.name.toLowerCase().includes(words),
      )
      .map((part) => ({
        id: part.id,
        part,
        figures: found.get(part.id)?.figures ?? null,
        verdict: found.get(part.id)?.verdict ?? null,
        trend: found.get(part.id)?.trend ?? [],
      }));
  });
  const totalOf = (of: CampaignsReport | null): Figures | null => {
    if (!of) return null;
    // All of the desk, archived ones too, as long as nothing is narrowed.
    if (!isNarrowed.value) return of.total;
    const shown = new Set(rows.value.map((r) => r.id));
    return addFigures(of.rows.filter((r) => shown.has(r.campaignId)).map((r) => r.figures));
  };
  return {
    report,
    rows,
    total: computed(() => totalOf(report.value)),
    totalBefore: computed(() => totalOf(reportBefore.value)),
    /** Campaigns that are in no sum of profit, since their cost is not known. */
    withoutCost: computed(() => rows.value.filter((r) => r.figures?.profitMicros === null).length),
    /** How far the index of figures is while it is built; null otherwise. */
    building,
    /** Why there are no figures, or none that are new; campaigns are listed all the same. */
    failure,
    search,
    chosen,
    filters: computed(() => filtersOf(parts)),
    isNarrowed,
    load,
  };
}

function filtersOf(parts: ReturnType<typeof useParts>): ListFilter[] {
  const all = parts.of('campaign');
  const plain = (values: readonly string[]) => values.map((value) => ({ value, label: value }));
  const named = (ids: string[]): { value: string; label: string }[] =>
    [...new Set(ids)]
      .map((value) => ({ value, label: parts.byId.get(value)?.body.name ?? '' }))
      .filter((o) => o.label !== '')
      .sort((a, b) => a.label.localeCompare(b.label));
  const tags = [...new Set(all.flatMap((c) => c.body.tags))].sort();
  return [
    { name: 'state', label: 'State', options: plain(['live', 'paused', 'archived']) },
    { name: 'source', label: 'Source', options: named(all.map((c) => c.body.sourceId)) },
    { name: 'offer', label: 'Offer', options: named(all.flatMap((c) => offersOf(c.body))) },
    ...(tags.length > 0 ? [{ name: 'tag', label: 'Tag', options: plain(tags) }] : []),
  ];
}
