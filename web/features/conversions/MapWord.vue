<script setup lang="ts">
/** A word that the network used and that nothing maps: mapped where it was met, and the postback reprocessed. */
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { statusMeanings, type NetworkInput } from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{ networkId: string; what: 'status' | 'event'; word: string }>();
const emit = defineEmits<{ mapped: [] }>();
const parts = useParts();
const network = computed(() => parts.one('network', props.networkId));
const means = ref('');
const busy = ref(false);
const failure = ref('');
const options = computed(() =>
  props.what === 'status'
    ? statusMeanings.map((m) => ({ value: m as string, label: m as string }))
    : parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
);
type StatusWord = NetworkInput['statusWords'][number];

async function save(): Promise<void> {
  if (!network.value || means.value === '' || busy.value) return;
  busy.value = true;
  failure.value = '';
  const { body, version } = network.value;
  const more: Partial<NetworkInput> =
    props.what === 'status'
      ? {
          statusWords: [...body.statusWords, { word: props.word, means: means.value as StatusWord['means'] }],
        }
      : { eventWords: [...body.eventWords, { word: props.word, eventTypeId: means.value }] };
  try {
    await parts.update(network.value, { ...body, ...more }, version);
    emit('mapped');
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <form v-if="network" class="row" @submit.prevent="save">
    <span
      >At {{ network.body.name }}, the {{ what === 'status' ? 'status' : 'event' }}
      <code>{{ word }}</code> means</span
    >
    <PickOne v-model="means" :aria-label="`Meaning of ${word}`" :options="options" placeholder="Choose" />
    <Button type="submit" :disabled="means === '' || busy">
      {{ busy ? 'Saving …' : 'Save mapping and reprocess' }}
    </Button>
    <span v-if="failure" class="error" role="alert">{{ failure }}</span>
  </form>
</template>
<style scoped>
form {
  flex-wrap: wrap;
}
</style>
