<script setup lang="ts">
/** What the table is broken down by: one value after the other. */
import Button from 'primevue/button';
import { X } from '@lucide/vue';
import { MAX_LEVELS } from '@tracheon/core/contract';
import { computed } from 'vue';
import PickOne from '../../ui/PickOne.vue';
import { groupingChoices, groupingLabel, type NamedValues } from './groupingWords.ts';

const props = defineProps<{ names: NamedValues }>();
const levels = defineModel<string[]>({ required: true });
const choices = computed(() => groupingChoices(props.names));
/** What is chosen may be a sub-ID that no visit of the desk has any more. */
const choicesFor = (at: number) => {
  const others = levels.value.filter((_, i) => i !== at);
  const own = levels.value[at];
  const all =
    own === undefined || choices.value.some((c) => c.value === own)
      ? choices.value
      : [{ value: own, label: groupingLabel(own) }, ...choices.value];
  return all.filter((c) => !others.includes(c.value));
};
const set = (at: number, value: string): void =>
  void (levels.value = levels.value.map((l, i) => (i === at ? value : l)));
const add = (value: string): void => void (levels.value = [...levels.value, value]);
const remove = (at: number): void => void (levels.value = levels.value.filter((_, i) => i !== at));
</script>
<template>
  <div class="levels" role="group" aria-label="Break down by">
    <span class="quiet">by</span>
    <span v-for="(level, i) in levels" :key="i" class="level">
      <span v-if="i > 0" class="quiet">then</span>
      <PickOne
        :model-value="level"
        :aria-label="`Level ${i + 1}`"
        :options="choicesFor(i)"
        @change="set(i, $event)"
      />
      <Button
        v-if="levels.length > 1"
        variant="text"
        :aria-label="`Remove level ${i + 1}: ${groupingLabel(level)}`"
        @click="remove(i)"
        ><X :size="14" aria-hidden="true"
      /></Button>
    </span>
    <PickOne
      v-if="levels.length < MAX_LEVELS"
      model-value=""
      aria-label="Add a level"
      :options="[{ value: '', label: 'then …' }, ...choicesFor(levels.length)]"
      @change="$event !== '' && add($event)"
    />
  </div>
</template>
<style scoped>
.levels,
.level {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.levels {
  flex-wrap: wrap;
}
.levels :deep(.p-select) {
  width: auto;
}
</style>
