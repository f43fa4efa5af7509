<script setup lang="ts">
/** Step 2: who sends the visits. */
import PickOne from '../../ui/PickOne.vue';
import Button from 'primevue/button';
import type { SheetBody } from '@tracheon/core/contract';
import { Plus } from '@lucide/vue';
import { useParts } from '../../app/parts.ts';
import FormField from '../../ui/FormField.vue';
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
      hint="The tracking link will include its parameters."
    >
      <span class="row nowrap">
        <PickOne
          :id="id"
          v-model="body.sourceId"
          :invalid="invalid"
          :aria-describedby="described"
          :options="[
            { value: '', label: 'choose' },
            ...parts.of('source').map((s) => ({ value: s.id, label: s.body.name })),
          ]"
        />
        <Button variant="link" @click="$emit('make', 'source', {})">
          <Plus :size="14" aria-hidden="true" /> New
        </Button>
        <Button variant="link" @click="$emit('template', 'source')">Template</Button>
      </span>
    </FormField>
    <FormField
      v-if="chain.source.value?.body.accounts.length"
      v-slot="{ id }"
      label="Account"
      hint="Postbacks go to this account’s own URL if it has one."
      :error="errors.account"
    >
      <PickOne
        :id="id"
        v-model="body.account"
        :options="[
          { value: '', label: 'any account' },
          ...chain.source.value.body.accounts.map((a) => ({ value: a.name, label: a.name })),
        ]"
      />
    </FormField>
    <FormField v-if="chain.source.value?.body.adFormats.length" v-slot="{ id }" label="Ad format">
      <PickOne
        :id="id"
        v-model="body.adFormat"
        :options="[
          { value: '', label: 'not specified' },
          ...chain.source.value.body.adFormats.map((f) => ({ value: f, label: f })),
        ]"
      />
    </FormField>
  </div>
  <StepLacks :chain="chain" :at="['source']" />
</template>
<style scoped src="./steps.css"></style>
