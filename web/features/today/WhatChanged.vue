<script setup lang="ts">
/** Yesterday against the same weekday a week before: which campaigns changed most, and which value explains it. */
import type { WhatChanged } from '@tracheon/core/contract';
import { groupingOf } from '@tracheon/core/metrics';
import { ref, watch } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { dayName, money, percent } from '../../ui/format.ts';
import SignedMoney from '../../ui/SignedMoney.vue';

const session = useSession();
const { today } = usePeriod();
const found = ref<WhatChanged | null>(null);
const { indexed } = useIndexed(() => void load());
const asks = newest();
const load = (): Promise<void> =>
  asks(
    indexed(() => ask('whatChanged')),
    (answer) => (found.value = answer),
    // Without an index there is nothing to say.
    () => (found.value = null),
  );
watch(today, load, { immediate: true });
function labelOf(by: string): string {
  const grouping = groupingOf(by);
  if (grouping?.kind === 'sub') return grouping.sub;
  return grouping?.kind === 'column' ? grouping.dimension.label.toLowerCase() : by;
}
const linkOf = (c: WhatChanged['campaigns'][number]) => ({
  path: '/numbers',
  query: { by: c.why?.by ?? 'day', only: `campaign_id:is:${c.campaignId}` },
});
</script>
<template>
  <section v-if="found" class="sheet pad" aria-label="What changed">
    <h2>Yesterday against {{ dayName(found.before) }}</h2>
    <p>
      Profit <SignedMoney :micros="found.profitMicros" /> {{ session.desk.currency
      }}<template v-if="found.profitBeforeMicros !== null"
        >, a week before <SignedMoney :micros="found.profitBeforeMicros" />
        {{ session.desk.currency }}</template
      >.
      <span v-if="found.campaigns.length === 0" class="quiet">No campaign changed much.</span>
    </p>
    <ul v-if="found.campaigns.length > 0">
      <li v-for="c in found.campaigns" :key="c.campaignId">
        <RouterLink :to="`/campaigns/${c.campaignId}`">{{ c.name }}</RouterLink>
        <span class="change">{{ money(c.changeMicros, 2, true) }} {{ session.desk.currency }}</span>
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
