<script setup lang="ts">
/** The way through a campaign: how many of its visits reach each step, and where most are lost. */
import type { Figures } from '@tracheon/core/contract';
import { computed } from 'vue';
import { count, percent } from '../../ui/format.ts';

const props = defineProps<{ figures: Figures }>();
interface Step {
  label: string;
  n: number;
  /** Of the step before; null for the first. */
  share: number | null;
  width: string;
}
const steps = computed(() => {
  const f = props.figures;
  const all: [string, number][] = [
    ['Visits', f.visits],
    // A campaign without a page has no such steps.
    ...(f.sentToPage > 0
      ? ([
          ['Sent to page', f.sentToPage],
          ['Button clicks', f.buttonClicks],
        ] as [string, number][])
      : []),
    ['Sent to offer', f.sentToOffer],
    ['Conversions', f.conversions],
  ];
  const most = Math.max(1, ...all.map(([, n]) => n));
  return all.map(([label, n], i): Step => {
    const before = all[i - 1]?.[1] ?? 0;
    return { label, n, share: i === 0 || before === 0 ? null : n / before, width: `${(n / most) * 100}%` };
  });
});
</script>
<template>
  <ol class="funnel">
    <li v-for="s in steps" :key="s.label">
      <span class="label">{{ s.label }}</span>
      <span class="track" aria-hidden="true"><span class="bar" :style="{ width: s.width }" /></span>
      <span class="n">{{ count(s.n) }}</span>
      <span class="quiet share">{{
        s.share === null ? '' : `${percent(s.share, 1)} of the step before`
      }}</span>
    </li>
  </ol>
</template>
<style scoped>
.funnel {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
li {
  display: grid;
  grid-template-columns: 120px minmax(60px, 1fr) 80px 170px;
  gap: 10px;
  align-items: center;
}
.track {
  height: 12px;
  background: var(--ground);
}
.bar {
  display: block;
  height: 100%;
  min-width: 1px;
  background: var(--quiet);
}
.n {
  text-align: right;
  font-variant-numeric: tabular-nums;
  font-weight: 600;
}
@media (max-width: 600px) {
  li {
    grid-template-columns: 100px 1fr 60px;
  }
  .share {
    grid-column: 2 / -1;
  }
}
</style>
