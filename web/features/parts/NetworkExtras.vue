<script setup lang="ts">
/** What a network tells beyond our fields: a brand, a product; kept by a name of ours. */
import InputText from 'primevue/inputtext';
import type { NetworkInput } from '@tracheon/core/contract';
import { completeMacro } from '@tracheon/core/tokens';
import { newRow } from '../../shared/newRows.ts';
import RowsField from '../../ui/RowsField.vue';

const body = defineModel<NetworkInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.extras"
    title="Extra values"
    hint="Extra values that the network can report, such as the brand. Tracheon stores each with the conversion under your name for it."
    add="Add extra value"
    one="extra"
    :make="newRow.extra"
  >
    <div class="line">
      <InputText
        v-model="row.name"
        class="mono-input"
        placeholder="brand"
        :aria-label="`Name of extra ${i + 1}`"
        :invalid="!!error(`extras.${i}.name`)"
      />
      <InputText
        v-model="row.macro"
        class="mono-input"
        placeholder="macro"
        :aria-label="`Macro of extra ${i + 1}`"
        @blur="row.macro = completeMacro(body.macroStyle, row.macro)"
      />
      <InputText
        v-model="row.parameter"
        class="mono-input"
        :placeholder="`x_${row.name || '…'}`"
        :aria-label="`Parameter of extra ${i + 1}`"
        :invalid="!!error(`extras.${i}.parameter`)"
      />
      <p v-if="error(`extras.${i}.name`) ?? error(`extras.${i}.parameter`)" class="error small">
        {{ error(`extras.${i}.name`) ?? error(`extras.${i}.parameter`) }}
      </p>
    </div>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 6px;
  align-items: center;
  width: 100%;
}
.line > p {
  grid-column: 1 / -1;
  margin: 0;
}
</style>
