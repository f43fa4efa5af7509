<script lang="ts">
import type { NumbersAnswer as Answer } from '@tracheon/core/contract';
import type { Explanation as Why } from '@tracheon/core/metrics';

export interface Changed {
  id: string;
  name: string;
  change: bigint;
  why: Why | null;
}
/** Some twenty questions: whoever comes back to this screen finds what was found a moment ago. */
const KEPT_MS = 5 * 60_000;
let kept: {
  of: string;
  at: number;
  total: Pick<Answer, 'total' | 'totalBefore'>;
  changed: Changed[];
} | null = null;
</script>
<script setup lang="ts">
/** Yesterday against the same weekday a week before: which campaigns changed most, and which value explains it. */
import type { NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import { changeOf, explainChange, groupingOf, SUB_PREFIX, type Explanation } from '@tracheon/core/metrics';
import { shiftDay } from '@tracheon/core/time';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { usePeriod } from '../../shared/period.ts';
import { subsOf } from '../../shared/sourceSubs.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { dayName, money, percent } from '../../ui/format.ts';
import SignedMoney from '../../ui/SignedMoney.vue';

const parts = useParts();
const session = useSession();
const { today } = usePeriod();
const MOST = 3;
/** A smaller change of a campaign, in units of the desk's currency, is not worth a look. */
const LEAST_MICROS = 1_000_000n;
const yesterday = computed(() => shiftDay(today.value, -1));
const before = computed(() => shiftDay(yesterday.value, -7));
const total = ref<Pick<NumbersAnswer, 'total' | 'totalBefore'> | null>(null);
const changed = ref<Changed[]>([]);
const { indexed } = useIndexed(() => void load());
let waiting = new AbortController();

function question(by: string, campaignId = ''): Promise<NumbersAnswer> {
  const day = { from: yesterday.value, to: yesterday.value };
  const body = {
    ...day,
    by: [by],
    against: { from: before.value, to: before.value },
    only: campaignId === '' ? [] : [{ by: 'campaign_id', is: 'is', values: [campaignId] }],
    limit: 500,
  } as NumbersAsked;
  return ask('numbersReport', { body }, { signal: waiting.signal });
}
/** What a campaign's visits differ by: sub-IDs of its source first. */
function levelsOf(campaignId: string): string[] {
  const source = parts.one('source', parts.one('campaign', campaignId)?.body.sourceId ?? '');
  const subs = source ? subsOf(source.body).map((s) => SUB_PREFIX + s) : [];
  return [...subs.slice(0, 4), 'pairing_id', 'device', 'os', 'country'];
}
async function load(): Promise<void> {
  waiting.abort();
  waiting = new AbortController();
  const { signal } = waiting;
  const of = `${session.desk.id}|${yesterday.value}`;
  if (kept?.of === of && Date.now() - kept.at < KEPT_MS) {
    [total.value, changed.value] = [kept.total, kept.changed];
    return;
  }
  try {
    const all = await indexed(() => question('campaign_id'));
    total.value = all;
    const size = (n: bigint): bigint => (n < 0n ? -n : n);
    const most = all.rows
      .map((r) => ({
        id: r.values[0]!,
        name: r.names[0]!,
        change: changeOf(r),
        why: null as Explanation | null,
      }))
      .filter((r) => r.id !== '' && size(r.change) >= LEAST_MICROS)
      .sort((a, b) => (size(b.change) > size(a.change) ? 1 : -1))
      .slice(0, MOST);
    changed.value = most;
    for (const campaign of most) {
      const breakdowns = [];
      for (const by of levelsOf(campaign.id))
        breakdowns.push({ by, rows: (await question(by, campaign.id)).rows });
      const why = explainChange(breakdowns);
      changed.value = changed.value.map((c) => (c.id === campaign.id ? { ...c, why } : c));
    }
    kept = { of, at: Date.now(), total: all, changed: changed.value };
  } catch {
    // Without an index there is nothing to say; a question that was given up says nothing either.
    if (!signal.aborted) changed.value = [];
  }
}
watch([yesterday, () => parts.state === 'ready'], ([, isReady]) => isReady && void load(), {
  immediate: true,
});
onBeforeUnmount(() => waiting.abort());
const profits = computed(() =>
  total.value === null
    ? null
    : { now: total.value.total.profitMicros, before: total.value.totalBefore?.profitMicros ?? null },
);
function labelOf(by: string): string {
  const grouping = groupingOf(by);
  if (grouping?.kind === 'sub') return grouping.sub;
  return grouping?.kind === 'column' ? grouping.dimension.label.toLowerCase() : by;
}
const linkOf = (c: Changed) => ({
  path: '/numbers',
  query: { by: c.why?.by ?? 'day', only: `campaign_id:is:${c.id}` },
});
</script>
<template>
  <section
    v-if="profits && (changed.length > 0 || profits.before !== null)"
    class="sheet pad"
    aria-label="What changed"
  >
    <h2>Yesterday against {{ dayName(before) }}</h2>
    <p>
      Profit <SignedMoney :micros="profits.now" /> {{ session.desk.currency
      }}<template v-if="profits.before !== null"
        >, a week before <SignedMoney :micros="profits.before" /> {{ session.desk.currency }}</template
      >.
      <span v-if="changed.length === 0" class="quiet">No campaign changed much.</span>
    </p>
    <ul v-if="changed.length > 0">
      <li v-for="c in changed" :key="c.id">
        <RouterLink :to="`/campaigns/${c.id}`">{{ c.name }}</RouterLink>
        <span class="change">{{ money(c.change, 2, true) }} {{ session.desk.currency }}</span>
        <span v-if="c.why" class="quiet">
          · {{ labelOf(c.why.by) }}
          <RouterLink :to="linkOf(c)">{{ c.why.name || 'no value' }}</RouterLink> explains
          {{ c.why.share > 1 ? 'all' : percent(c.why.share, 0) }} of it</span
        >
      </li>
    </ul>
  </section>
</template>
<style scoped>
ul {
  margin: 6px 0 0;
  padding-left: 18px;
}
.change {
  margin-left: 6px;
}
</style>
