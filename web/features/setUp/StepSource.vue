<script setup lang="ts">
/** Step 2: who sends the visits. */
import type { SheetBody } from '@tracheon/core/contract';
import { Plus } from '@lucide/vue';
import { useParts } from '../../app/parts.ts';
import FormField from '../../shared/FormField.vue';
import StepLacks from './StepLacks.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
defineProps<{ chain: Chain; errors: Record<string, string> }>();
defineEmits<{ make: [kind: 'source', body: object]; template: [kind: 'source'] }>();
const parts = useParts();
</script>
<template>
  <div class="grid">
    <FormField
      v-slot="{ id, invalid, described }"
      label="Source"
      :error="errors.sourceId"
      hint="Its parameters stand in the tracking link."
    >
      <span class="row nowrap">
        <select :id="id" v-model="body.sourceId" :aria-invalid="invalid" :aria-describedby="described">
          <option value="">choose</option>
          <option v-for="s in parts.of('source')" :key="s.id" :value="s.id">{{ s.body.name }}</option>
        </select>
        <button type="button" class="bare" @click="$emit('make', 'source', {})">
          <Plus :size="14" aria-hidden="true" /> New
        </button>
        <button type="button" class="bare" @click="$emit('template', 'source')">Template</button>
      </span>
    </FormField>
    <FormField
      v-if="chain.source.value?.body.accounts.length"
      v-slot="{ id }"
      label="Account"
      hint="Told at its own address, where it has one."
      :error="errors.account"
    >
      <select :id="id" v-model="body.account">
        <option value="">none in particular</option>
        <option v-for="a in chain.source.value.body.accounts" :key="a.name">{{ a.name }}</option>
      </select>
    </FormField>
    <FormField v-if="chain.source.value?.body.adFormats.length" v-slot="{ id }" label="Ad format">
      <select :id="id" v-model="body.adFormat">
        <option value="">not said</option>
        <option v-for="f in chain.source.value.body.adFormats" :key="f">{{ f }}</option>
      </select>
    </FormField>
  </div>
  <StepLacks :chain="chain" :at="['source']" />
</template>
<style scoped src="./steps.css"></style>
