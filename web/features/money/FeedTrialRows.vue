<script setup lang="ts">
/** What a provider answered for one day: its fields to pick from, and how many rows are visits of this desk. */
import Button from 'primevue/button';
import type { FeedInput, FeedTrial } from '@tracheon/core/contract';
import { computed } from 'vue';
import { count, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';

type Use = 'slot' | 'amount' | 'campaign' | 'sub';
const props = defineProps<{ trial: FeedTrial; currency: string; gives: FeedInput['gives'] }>();
defineEmits<{ use: [place: string, as: Use] }>();
const uses = computed((): [Use, string][] =>
  props.gives === 'cost'
    ? [
        ['amount', 'amount'],
        ['campaign', 'campaign'],
        ['sub', 'sub-ID'],
      ]
    : [
        ['slot', 'click ID'],
        ['amount', 'amount'],
      ],
);
/** Each field once, with the values of the first rows. */
const fields = computed(() => {
  const values = new Map<string, string[]>();
  for (const { at, value } of props.trial.rows.slice(0, 3).flat())
    values.set(at, [...(values.get(at) ?? []), value]);
  return [...values].map(([at, some]) => ({ id: at, at, some: some.join(' · ') }));
});
const words = computed(() => {
  const { count: rows, amountMicros, statedMicros, matched } = props.trial;
  const stated = statedMicros === null ? '' : `, and the provider states ${money(statedMicros)}`;
  const fits =
    props.gives === 'cost'
      ? `${matched === 1 ? '1 row is' : `${count(matched)} rows are`} booked.`
      : `${matched === 1 ? '1 row matches a visit' : `${count(matched)} rows match visits`} of this desk.`;
  return `${rows === 1 ? '1 row' : `${count(rows)} rows`} with ${money(amountMicros)} ${props.currency}${stated}. ${fits}`;
});
</script>
<template>
  <div class="stack" role="status">
    <p v-if="trial.problem" class="error">{{ trial.problem }}</p>
    <p v-else>{{ words }}</p>
    <p v-if="trial.advice" class="advice">{{ trial.advice }}</p>
    <ListTable
      v-if="fields.length"
      :rows="fields"
      label="Fields of the first rows"
      :columns="[
        { key: 'at', label: 'Field', fixed: true },
        { key: 'some', label: 'First values' },
        { key: 'use', label: '(use)' },
      ]"
    >
      <template #at="{ row }"><span class="mono">{{ row.at }}</span></template>
      <template #some="{ row }"><span class="mono">{{ row.some }}</span></template>
      <template #use="{ row }"
        ><Button
          v-for="[as, word] in uses"
          :key="as"
          variant="link"
          :aria-label="`Use ${row.at} as ${word}`"
          @click="$emit('use', row.at, as)"
          >{{ word }}</Button
        ></template
      >
    </ListTable>
  </div>
</template>
