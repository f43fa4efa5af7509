<script setup lang="ts">
/** What a network tells beyond our fields: a brand, a product; kept by a name of ours. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import type { NetworkInput } from '@tracheon/core/contract';
import { completeMacro } from '@tracheon/core/tokens';
import { Plus, X } from '@lucide/vue';

const body = defineModel<NetworkInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
</script>
<template>
  <div class="words">
    <h3>Extra values</h3>
    <p class="quiet small">
      Extra values that the network can report, such as the brand. Tracheon stores each with the conversion
      under your name for it.
    </p>
    <div v-for="(x, i) in body.extras" :key="i" class="line">
      <InputText
        v-model="x.name"
        class="mono-input"
        placeholder="brand"
        :aria-label="`Name of extra ${i + 1}`"
        :invalid="!!error(`extras.${i}.name`)"
      />
      <InputText
        v-model="x.macro"
        class="mono-input"
        placeholder="macro"
        :aria-label="`Macro of extra ${i + 1}`"
        @blur="x.macro = completeMacro(body.macroStyle, x.macro)"
      />
      <InputText
        v-model="x.parameter"
        class="mono-input"
        :placeholder="`x_${x.name || '…'}`"
        :aria-label="`Parameter of extra ${i + 1}`"
        :invalid="!!error(`extras.${i}.parameter`)"
      />
      <Button variant="link" :aria-label="`Remove extra ${i + 1}`" @click="body.extras.splice(i, 1)">
        <X :size="15" />
      </Button>
      <p v-if="error(`extras.${i}.name`) ?? error(`extras.${i}.parameter`)" class="error small">
        {{ error(`extras.${i}.name`) ?? error(`extras.${i}.parameter`) }}
      </p>
    </div>
    <Button variant="link" @click="body.extras.push({ name: '', macro: '', parameter: '' })">
      <Plus :size="14" aria-hidden="true" /> Extra
    </Button>
  </div>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr 24px;
  gap: 6px;
  align-items: center;
  width: 100%;
}
.line > p {
  grid-column: 1 / -1;
  margin: 0;
}
</style>
