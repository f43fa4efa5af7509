<script setup lang="ts">
/** Figures that the desk makes by formulas: add one, replace one, delete one. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { useConfirm } from 'primevue/useconfirm';
import { ownFigureInput, type OwnFigure, type OwnFigureInput } from '@tracheon/core/contract';
import { formulaNames, figureDefinitions, readFormula, type FormulaUnit } from '@tracheon/core/metrics';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import FoldBlock from '../../ui/FoldBlock.vue';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{ own: OwnFigure[] }>();
const emit = defineEmits<{ changed: [] }>();
const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const confirm = useConfirm();
const failure = ref('');
const blank: OwnFigureInput = { name: '', formula: '', format: 'number' };
const form = useDraftForm(ownFigureInput, blank, 'own-figure.new');
const { body, error } = form;
const units: Record<FormulaUnit, string> = {
  money: 'The result is an amount.',
  count: 'The result is a count.',
  ratio: 'The result is a ratio.',
  number: 'The result is a number without a unit.',
};
const read = computed(() => readFormula(body.formula));
const isMoney = computed(() => read.value.ok && read.value.unit === 'money');
const replaces = computed(() =>
  props.own.some((f) => f.name.toLowerCase() === body.name.trim().toLowerCase()),
);
const names = [...formulaNames].map(([name, figure]) => ({
  id: name,
  name,
  label: figureDefinitions[figure].label,
  meaning: figureDefinitions[figure].meaning,
}));
async function save(): Promise<void> {
  const isSaved = await form.save(async (value) => {
    await ask('saveOwnFigure', { body: value });
  });
  if (!isSaved) return;
  Object.assign(body, blank);
  emit('changed');
}
function edit(figure: OwnFigure): void {
  Object.assign(body, { name: figure.name, formula: figure.formula, format: figure.format });
}
function remove(figure: OwnFigure): void {
  confirm.require({
    header: `Delete ${figure.name}?`,
    message: 'Tables of everybody on this desk lose this column.',
    acceptLabel: 'Delete figure',
    rejectLabel: 'Keep it',
    rejectProps: { severity: 'secondary', variant: 'text' },
    accept: () =>
      void ask('removeOwnFigure', { id: figure.id }).then(
        () => emit('changed'),
        (why: Error) => (failure.value = why.message),
      ),
  });
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    title="Own figures"
    says="Make a figure of the known ones. Everybody on this desk can show it as a column and sort by it."
    :form="form"
    :action="replaces ? 'Replace figure' : 'Add figure'"
    :read-only="!session.canEdit"
    :save="save"
  >
    <FormField v-slot="{ id, invalid }" label="Name" :error="error('name')">
      <InputText :id="id" v-model="body.name" maxlength="80" :invalid="invalid" autocomplete="off" />
    </FormField>
    <FormField
      v-slot="{ id, invalid, described }"
      label="Formula"
      :hint="
        read.ok
          ? units[read.unit]
          : 'Use figures, numbers, + - * / and ( ). Example: (expected - spent) / visits'
      "
      :error="error('formula')"
    >
      <InputText
        :id="id"
        v-model="body.formula"
        class="mono-input"
        maxlength="500"
        :invalid="invalid"
        :aria-describedby="described"
        autocomplete="off"
        spellcheck="false"
      />
    </FormField>
    <FormField v-if="!isMoney" v-slot="{ id }" label="Show it as">
      <PickOne
        :id="id"
        v-model="body.format"
        :options="[
          { value: 'number', label: 'number' },
          { value: 'percent', label: 'percent' },
        ]"
      />
    </FormField>
    <template #after>
      <FoldBlock title="Names in formulas">
        <ListTable
          :rows="names"
          label="Names in formulas"
          :columns="[
            { key: 'name', label: 'Name' },
            { key: 'label', label: 'Figure' },
            { key: 'meaning', label: 'Meaning' },
          ]"
        >
          <template #name="{ row }"><code>{{ row.name }}</code></template>
          <template #label="{ row }">{{ row.label }}</template>
          <template #meaning="{ row }">{{ row.meaning }}</template>
        </ListTable>
      </FoldBlock>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <ListTable
        v-if="own.length > 0"
        :rows="own"
        label="Own figures"
        :columns="[
          { key: 'name', label: 'Name', sort: (r) => r.name },
          { key: 'formula', label: 'Formula' },
          { key: 'by', label: 'By' },
          ...(session.canEdit ? [{ key: 'act', label: '(actions)' }] : []),
        ]"
      >
        <template #name="{ row }">{{ row.name }}</template>
        <template #formula="{ row }"><code>{{ row.formula }}</code></template>
        <template #by="{ row }">{{ row.by }}</template>
        <template #act="{ row }">
          <Button variant="link" :aria-label="`Edit ${row.name}`" @click="edit(row)">Edit</Button>
          <Button variant="link" :aria-label="`Delete ${row.name}`" @click="remove(row)">Delete</Button>
        </template>
      </ListTable>
    </template>
  </DraftSheet>
</template>
