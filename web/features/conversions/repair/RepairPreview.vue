<script setup lang="ts">
/** What a fix would do, before it is done. */
import Checkbox from 'primevue/checkbox';
import type { ReadingTrial, RepairPreview } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useSession } from '../../../app/session.ts';
import { count, dayName, money } from '../../../ui/format.ts';
import { listWord } from '../filters.ts';
import TrialResult from '../../../shared/TrialResult.vue';

const props = defineProps<{ preview: RepairPreview; days: number }>();
const limited = defineModel<boolean>('limited', { required: true });
const session = useSession();
const figures = computed(() => [
  ...props.preview.outcomes.map((o) => ({ label: words(o.outcome), value: count(o.count), hold: false })),
  ...props.preview.money.map((m) => ({
    label: m.kind === 'hold' ? 'on hold' : 'earned',
    value: `${money(m.micros, 2, true)} ${m.currency}`,
    hold: m.kind === 'hold',
  })),
]);
const words = (outcome: string): string =>
  ({
    accepted: 'become conversions',
    updated: 'updates',
    duplicate: 'duplicates',
    repair: 'still need repair',
  })[outcome] ?? listWord(outcome);
const bars = computed(() => {
  const sums = props.preview.byDay.map((d) => ({
    day: d.day,
    hold: BigInt(d.holdMicros),
    earn: BigInt(d.earnMicros),
  }));
  const abs = (n: bigint): bigint => (n < 0n ? -n : n);
  const most = sums.reduce(
    (max, d) => (abs(d.hold) + abs(d.earn) > max ? abs(d.hold) + abs(d.earn) : max),
    1n,
  );
  const height = (n: bigint): number => Number((abs(n) * 30n) / most);
  return sums.map((d) => ({
    ...d,
    holdHeight: height(d.hold),
    earnHeight: height(d.earn),
    title: `${dayName(d.day)}: ${[
      d.hold === 0n ? '' : `${money(d.hold, 2, true)} on hold`,
      d.earn === 0n ? '' : `${money(d.earn, 2, true)} earned`,
    ]
      .filter(Boolean)
      .join(', ')} ${session.desk.currency}`,
  }));
});
const sent = computed(() => props.preview.postbacks.filter((p) => p.count > 0));
const isSafe = (t: ReadingTrial): boolean => t.broken === 0 && t.changed === 0;
</script>
<template>
  <div class="preview">
    <div class="row spread top">
      <dl>
        <div v-for="f in figures" :key="f.label">
          <dt>{{ f.label }}</dt>
          <dd :class="{ hold: f.hold }">{{ f.value }}</dd>
        </div>
      </dl>
      <div v-if="bars.length > 1" class="days" role="list" aria-label="Money by day">
        <span v-for="d in bars" :key="d.day" role="listitem" :title="d.title" :aria-label="d.title">
          <i class="earn" :style="{ height: `${d.earnHeight}px` }"></i
          ><i class="hold" :style="{ height: `${d.holdHeight}px` }"></i>
        </span>
      </div>
    </div>
    <p v-if="preview.tried < preview.count" class="quiet">
      Tried on the newest {{ count(preview.tried) }} of {{ count(preview.count) }}.
    </p>
    <label v-if="sent.length > 0" class="row">
      <Checkbox v-model="limited" binary />
      <span
        >Send postbacks to sources only for conversions of the last {{ props.days }} days ({{
          sent.map((p) => `${p.sourceName} ${count(p.recent)} of ${count(p.count)}`).join(', ')
        }})</span
      >
    </label>
    <TrialResult v-if="!isSafe(preview.lately)" :trial="preview.lately" />
  </div>
</template>
<style scoped>
.preview {
  background: var(--tint);
  border-radius: 6px;
  padding: 10px 12px;
  display: grid;
  gap: 6px;
}
.top {
  align-items: end;
}
dl {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 24px;
  margin: 0;
}
dt {
  font-size: 12px;
  color: var(--quiet);
}
dd {
  margin: 0;
  font-weight: 700;
  font-variant-numeric: tabular-nums;
}
dd.hold {
  color: var(--hold);
}
p {
  margin: 0;
  font-size: 12px;
}
.days {
  display: flex;
  gap: 2px;
  align-items: end;
  height: 32px;
}
.days span {
  display: flex;
  flex-direction: column;
  justify-content: end;
  width: 12px;
  height: 100%;
}
.days i {
  display: block;
}
.days .hold {
  background: var(--hold);
}
.days .earn {
  background: var(--gain);
}
label {
  font-size: 12.5px;
}
</style>
