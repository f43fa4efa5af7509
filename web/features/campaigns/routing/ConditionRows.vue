<script setup lang="ts">
/** The conditions of one branch, a row each. */
import Button from 'primevue/button';
import type { Condition } from '@tracheon/core/contract';
import { conditionWords, opWords, type ValueName } from '@tracheon/core/routing';
import { conditionField, opsOf } from '@tracheon/core/visits';
import { Plus, X } from '@lucide/vue';
import { computed } from 'vue';
import PickOne from '../../../ui/PickOne.vue';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import {
  fieldChoices,
  newLeaf,
  readCondition,
  writeCondition,
  type ConditionRow,
} from './editedCondition.ts';
import ValuesField from './ValuesField.vue';

const props = defineProps<{
  subs: string[];
  nameOf: ValueName;
  /** Saving was tried: what is still empty is marked, too. */
  isTried: boolean;
  error: (path: string) => string | undefined;
}>();
const model = defineModel<Condition>({ required: true });
const edited = computed(() => readCondition(model.value));
const fields = computed(() => fieldChoices(props.subs));
const write = (rows: ConditionRow[], by = edited.value.by): void => {
  model.value = writeCondition({ by, rows });
};
function change(i: number, next: Partial<ConditionRow>): void {
  write(edited.value.rows.map((row, at) => (at === i ? { ...row, ...next } : row)));
}
const bys = [
  { value: 'all' as const, label: 'All must hold' },
  { value: 'any' as const, label: 'One is enough' },
];
/** A comparison and its turned form are one choice: `is`, `!is`. */
function opsFor(on: string): { value: string; label: string }[] {
  const kind = conditionField(on)?.kind ?? 'text';
  return opsOf[kind].flatMap((op) => {
    const words = kind === 'offers' ? { is: 'one of', not: 'none of' } : opWords[op];
    return [
      { value: op, label: words.is },
      { value: `!${op}`, label: words.not },
    ];
  });
}
function pickOp(i: number, row: ConditionRow, value: string): void {
  const op = value.replace('!', '') as NonNullable<ConditionRow['leaf']>['op'];
  change(i, { isNot: value.startsWith('!'), leaf: { ...row.leaf!, op } });
}
const errorAt = (i: number, row: ConditionRow): string | undefined => {
  if (row.leaf?.values.length === 0 && !props.isTried) return undefined;
  const at = `${edited.value.by}.${i}${row.isNot ? '.not' : ''}`;
  return props.error(`${at}.values`) ?? props.error(`${at}.zone`);
};
</script>
<template>
  <div class="conditions">
    <SegmentChoice
      v-if="edited.rows.length > 1"
      :model-value="edited.by"
      :options="bys"
      label="How the conditions are joined"
      @update:model-value="(by) => write(edited.rows, by)"
    />
    <div v-for="(row, i) in edited.rows" :key="i" class="line">
      <template v-if="row.leaf">
        <PickOne
          :model-value="row.leaf.on"
          :aria-label="`Condition ${i + 1}`"
          :options="fields"
          @update:model-value="(on) => change(i, { isNot: false, leaf: newLeaf(String(on)) })"
        />
        <PickOne
          v-if="conditionField(row.leaf.on)?.kind !== 'flag'"
          :model-value="`${row.isNot ? '!' : ''}${row.leaf.op}`"
          :aria-label="`Comparison ${i + 1}`"
          :options="opsFor(row.leaf.on)"
          @update:model-value="(op) => pickOp(i, row, String(op))"
        />
        <ValuesField
          :leaf="row.leaf"
          class="values"
          :class="{ flag: conditionField(row.leaf.on)?.kind === 'flag' }"
          :label="`Values ${i + 1}`"
          :invalid="errorAt(i, row) !== undefined"
          :model-value="row.leaf.values"
          @update:model-value="(values) => change(i, { leaf: { ...row.leaf!, values } })"
        />
      </template>
      <span v-else class="group">{{ conditionWords(row.group!, nameOf) }}</span>
      <Button
        variant="link"
        class="remove"
        :aria-label="`Remove condition ${i + 1}`"
        :disabled="edited.rows.length === 1"
        @click="write(edited.rows.filter((_, at) => at !== i))"
        ><X :size="15"
      /></Button>
      <p v-if="errorAt(i, row)" class="error note">{{ errorAt(i, row) }}</p>
    </div>
    <Button
      variant="link"
      @click="write([...edited.rows, { isNot: false, leaf: newLeaf('country'), group: null }])"
      ><Plus :size="14" aria-hidden="true" /> Add condition</Button
    >
  </div>
</template>
<style scoped>
.conditions {
  display: grid;
  gap: 8px;
  justify-items: start;
  padding: 6px 0 10px;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) 30px;
  gap: 8px;
  align-items: start;
  width: 100%;
}
.values {
  grid-column: 1 / -1;
  grid-row: 2;
}
.values.flag {
  grid-column: 2;
  grid-row: 1;
}
.note {
  grid-column: 1 / -1;
  font-size: 12px;
}
.group {
  grid-column: 1 / 3;
  padding: 6px 0;
}
@media (max-width: 700px) {
  .line {
    grid-template-columns: 1fr 30px;
  }
  .line > * {
    grid-column: 1;
  }
  .line > .values,
  .line > .values.flag {
    grid-column: 1;
    grid-row: auto;
  }
  .line > .remove {
    grid-row: 1;
    grid-column: 2;
  }
}
</style>
