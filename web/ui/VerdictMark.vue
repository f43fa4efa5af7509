<script setup lang="ts">
/** What to do about a row, in a word or two; on demand the figures that it rests on. */
import Button from 'primevue/button';
import Popover from 'primevue/popover';
import type { VerdictAnswer } from '@tracheon/core/contract';
import { verdictReason, verdictWords } from '@tracheon/core/metrics';
import { computed, ref } from 'vue';
import { count, money, percent } from './format.ts';
import { bidText, verdictLines } from './verdictLines.ts';

const props = defineProps<{ verdict: VerdictAnswer; of: string; currency: string }>();
const why = ref<InstanceType<typeof Popover> | null>(null);
const isOpen = ref(false);
const words = computed(() =>
  verdictWords(props.verdict, (micros) => bidText(micros, props.verdict, props.currency)),
);
const lines = computed(() => verdictLines(props.verdict, props.currency, { count, money, percent }));
</script>
<template>
  <span v-if="verdict.kind === 'no_cost'" class="quiet">–</span>
  <template v-else>
    <Button
      variant="text"
      class="verdict"
      :class="verdict.kind"
      aria-haspopup="dialog"
      :aria-label="`${words}. Show why: ${of}`"
      @click.stop="why?.toggle($event)"
      >{{ words }}</Button
    >
    <Popover ref="why" :aria-label="`Verdict on ${of}`" @show="isOpen = true" @hide="isOpen = false">
      <div v-if="isOpen" class="why">
        <h3>{{ words }}</h3>
        <p>{{ verdictReason(verdict) }}</p>
        <dl>
          <template v-for="line in lines" :key="line.label"
            ><dt>{{ line.label }}</dt>
            <dd>{{ line.value }}</dd></template
          >
        </dl>
      </div>
    </Popover>
  </template>
</template>
<style scoped>
.verdict.p-button {
  padding: 0;
  font-weight: 400;
  color: inherit;
  text-decoration: underline dotted;
  text-underline-offset: 3px;
  white-space: nowrap;
}
.verdict.cut {
  color: var(--loss);
  font-weight: 700;
}
.verdict.too_early,
.verdict.no_payout {
  color: var(--quiet);
}
.why {
  max-width: 340px;
}
.why h3 {
  margin: 0 0 4px;
}
.why dl {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 3px 18px;
  margin: 8px 0 0;
}
.why dd {
  margin: 0;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
