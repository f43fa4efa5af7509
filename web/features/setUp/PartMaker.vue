<script setup lang="ts">
/** Beside the setup sheet: a part that is missing is made, from scratch or from a template, or handed over. */
import { computed, nextTick, ref } from 'vue';
import type { PartRecord } from '@tracheon/core/contract';
import { provideBeginning, type Beginning } from '../../shared/newPart.ts';
import { usePartForms } from '../../shared/partForms.ts';
import type { MadeKind } from './madeKind.ts';

const props = defineProps<{
  /** Of the setup sheet; empty for a new one. */
  sheetId: string;
  /** Of the pasted link: it is the network's, whatever its template says. */
  host: string;
  network: PartRecord<'network'> | undefined;
}>();
const emit = defineEmits<{ made: [record: PartRecord] }>();
const beginning = ref<Beginning | null>(null);
provideBeginning(beginning);
const { forms, templateChoice } = usePartForms();
const making = ref<MadeKind | ''>('');
const makingOpen = computed({ get: () => making.value !== '', set: (o) => o || (making.value = '') });
const template = ref<'' | 'network' | 'source'>('');
const templateOpen = computed({ get: () => template.value !== '', set: (o) => o || (template.value = '') });
const handingOver = ref(false);

function make(kind: MadeKind, from: object): void {
  beginning.value = { key: `set-up.${props.sheetId || 'new'}.${kind}`, body: from };
  making.value = kind;
}
async function useTemplate(from: object): Promise<void> {
  const kind = template.value;
  template.value = '';
  if (kind === '') return;
  const hosts = (from as { hosts?: string[] }).hosts ?? [];
  const isMissing = kind === 'network' && props.host !== '' && !hosts.includes(props.host);
  await nextTick();
  make(kind, { ...from, ...(isMissing ? { hosts: [...hosts, props.host] } : {}) });
}
function made(record: PartRecord): void {
  making.value = '';
  beginning.value = null;
  emit('made', record);
}
defineExpose({
  make,
  chooseTemplate: (kind: 'network' | 'source') => void (template.value = kind),
  handOver: () => void (handingOver.value = true),
});
</script>
<template>
  <component :is="forms[making]" v-if="making" v-model:open="makingOpen" @saved="made" />
  <component :is="forms.network" v-if="handingOver && network" v-model:open="handingOver" :part="network" />
  <component
    :is="templateChoice"
    v-if="template"
    v-model:open="templateOpen"
    :kind="template"
    @use="useTemplate"
  />
</template>
