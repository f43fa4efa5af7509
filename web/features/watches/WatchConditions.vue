<script setup lang="ts">
/** The conditions of a watch: all or any of them; one of them may be a group of its own. */
import Button from 'primevue/button';
import { MAX_WATCH_CONDITIONS, type WatchCondition, type WatchInput } from '@tracheon/core/contract';
import { Plus, X } from '@lucide/vue';
import PickOne from '../../ui/PickOne.vue';
import ConditionFields from './ConditionFields.vue';
import type { Choice } from './watchWords.ts';

type Rule = Pick<WatchInput, 'match' | 'conditions'>;
const rule = defineModel<Rule>({ required: true });
const props = defineProps<{
  figures: Choice[];
  currency: string;
  /** Before the paths of errors, and before labels. */
  path: string;
  label: string;
  error: (path: string) => string | undefined;
  /** It is within another one: it holds no further groups. */
  inner?: boolean;
}>();
const matches = [
  { value: 'all' as const, label: 'all of these hold' },
  { value: 'any' as const, label: 'any of these holds' },
];
const blank = (): WatchCondition => ({ figure: 'visits', is: '>=', than: 100, unit: 'own' });
const remove = (i: number): void => void rule.value.conditions.splice(i, 1);
const labelOf = (i: number): string => `${props.label} ${i + 1}`;
</script>
<template>
  <div class="conditions" :class="{ inner }">
    <PickOne v-model="rule.match" :options="matches" :aria-label="`${label}: all or any`" />
    <div v-for="(c, i) in rule.conditions" :key="i" class="one">
      <ConditionFields
        v-if="'figure' in c"
        :model-value="c"
        :figures="figures"
        :currency="currency"
        :label="labelOf(i)"
        :error="error(`${path}.${i}.than`) ?? error(`${path}.${i}.unit`) ?? error(`${path}.${i}`)"
      />
      <WatchConditions
        v-else
        :model-value="c"
        :figures="figures"
        :currency="currency"
        :path="`${path}.${i}.conditions`"
        :label="labelOf(i)"
        :error="error"
        inner
      />
      <Button
        v-if="rule.conditions.length > 1"
        variant="link"
        :aria-label="`Remove ${labelOf(i).toLowerCase()}`"
        @click="remove(i)"
        ><X :size="16" aria-hidden="true"
      /></Button>
    </div>
    <p v-if="error(path)" class="error" role="alert">{{ error(path) }}</p>
    <div v-if="rule.conditions.length < MAX_WATCH_CONDITIONS" class="row">
      <Button variant="link" @click="rule.conditions.push(blank())"
        ><Plus :size="16" aria-hidden="true" /> Add condition</Button
      >
      <Button
        v-if="!inner"
        variant="link"
        @click="rule.conditions.push({ match: 'any', conditions: [blank(), blank()] })"
        ><Plus :size="16" aria-hidden="true" /> Add group</Button
      >
    </div>
  </div>
</template>
<style scoped>
.conditions {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.conditions > :deep(.p-select) {
  width: auto;
}
.inner {
  border-left: 2px solid var(--hairline);
  padding-left: 10px;
}
.one {
  display: flex;
  align-items: start;
  gap: 4px;
}
</style>
