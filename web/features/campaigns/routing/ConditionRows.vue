<script setup lang="ts">
/** The conditions of one branch, or of a group among them, a row each. */
import Button from 'primevue/button';
import { MAX_CONDITION_DEPTH, type Condition } from '@tracheon/core/contract';
import { opWords } from '@tracheon/core/routing';
import { conditionField, opsOf } from '@tracheon/core/visits';
import { Plus, X } from '@lucide/vue';
import { computed } from 'vue';
import PickOne from '../../../ui/PickOne.vue';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import {
  fieldChoices,
  groupChoices,
  newLeaf,
  readCondition,
  writeCondition,
  type ConditionRow,
} from './editedCondition.ts';
import ValuesField from './ValuesField.vue';

const props = withDefaults(
  defineProps<{
    subs: string[];
    /** Before the number of each row: `2.` within the second row; empty for those of the branch. */
    prefix?: string;
    /** Groups around these rows. */
    depth?: number;
    /** Saving was tried: what is still empty is marked, too. */
    isTried: boolean;
    error: (path: string) => string | undefined;
  }>(),
  { prefix: '', depth: 0 },
);
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
const newGroup = (): ConditionRow => ({ isNot: false, leaf: null, group: { any: [newLeaf('country')] } });
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
const pathOf = (i: number, row: ConditionRow): string => `${edited.value.by}.${i}${row.isNot ? '.not' : ''}`;
const number = (i: number): string => `${props.prefix}${i + 1}`;
const joinOf = (row: ConditionRow): string => `${row.isNot ? '!' : ''}${readCondition(row.group!).by}`;
function pickJoin(i: number, row: ConditionRow, value: string): void {
  const { rows } = readCondition(row.group!);
  const by = value.replace('!', '') as 'all' | 'any';
  change(i, { isNot: value.startsWith('!'), group: writeCondition({ by, rows }) });
}
const errorAt = (i: number, row: ConditionRow): string | undefined => {
  if (!row.leaf || (row.leaf.values.length === 0 && !props.isTried)) return undefined;
  const at = pathOf(i, row);
  return props.error(`${at}.values`) ?? props.error(`${at}.zone`);
};
</script>
<template>
  <div class="conditions">
    <SegmentChoice
      v-if="depth === 0 && edited.rows.length > 1"
      :model-value="edited.by"
      :options="bys"
      label="How the conditions are joined"
      @update:model-value="(by) => write(edited.rows, by)"
    />
    <div v-for="(row, i) in edited.rows" :key="i" class="line">
      <template v-if="row.leaf">
        <PickOne
          :model-value="row.leaf.on"
          :aria-label="`Condition ${number(i)}`"
          :options="fields"
          @update:model-value="(on) => change(i, { isNot: false, leaf: newLeaf(String(on)) })"
        />
        <PickOne
          v-if="conditionField(row.leaf.on)?.kind !== 'flag'"
          :model-value="`${row.isNot ? '!' : ''}${row.leaf.op}`"
          :aria-label="`Comparison ${number(i)}`"
          :options="opsFor(row.leaf.on)"
          @update:model-value="(op) => pickOp(i, row, String(op))"
        />
        <ValuesField
          :leaf="row.leaf"
          class="values"
          :class="{ flag: conditionField(row.leaf.on)?.kind === 'flag' }"
          :label="`Values ${number(i)}`"
          :invalid="errorAt(i, row) !== undefined"
          :model-value="row.leaf.values"
          @update:model-value="(values) => change(i, { leaf: { ...row.leaf!, values } })"
        />
      </template>
      <div v-else class="group" role="group" :aria-label="`Group ${number(i)}`">
        <PickOne
          :model-value="joinOf(row)"
          :aria-label="`How group ${number(i)} is joined`"
          :options="groupChoices"
          @update:model-value="(join) => pickJoin(i, row, String(join))"
        />
        <ConditionRows
          :model-value="row.group!"
          :subs="subs"
          :prefix="`${number(i)}.`"
          :depth="depth + 1"
          :is-tried="isTried"
          :error="(path) => error(`${pathOf(i, row)}.${path}`)"
          @update:model-value="(group) => change(i, { group })"
        />
      </div>
      <Button
        variant="link"
        class="remove"
        :aria-label="`Remove condition ${number(i)}`"
        :disabled="edited.rows.length === 1"
        @click="write(edited.rows.filter((_, at) => at !== i))"
        ><X :size="15"
      /></Button>
      <p v-if="errorAt(i, row)" class="error note">{{ errorAt(i, row) }}</p>
    </div>
    <div class="row">
      <Button
        variant="link"
        :aria-label="prefix === '' ? undefined : `Add condition to group ${prefix.slice(0, -1)}`"
        @click="write([...edited.rows, { isNot: false, leaf: newLeaf('country'), group: null }])"
        ><Plus :size="14" aria-hidden="true" /> Add condition</Button
      >
      <Button
        v-if="depth < MAX_CONDITION_DEPTH - 2"
        variant="link"
        :aria-label="prefix === '' ? undefined : `Add group to group ${prefix.slice(0, -1)}`"
        @click="write([...edited.rows, newGroup()])"
        ><Plus :size="14" aria-hidden="true" /> Add group</Button
      >
    </div>
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
  border-left: 2px solid var(--hairline);
  padding-left: 10px;
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
