<script setup lang="ts">
/** Postbacks passed on to a second address, such as an earlier system that runs beside Tracheon for a month. */
import type { NetworkInput, NetworkSeen } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import AddressInput from '../../ui/AddressInput.vue';
import DayField from '../../ui/DayField.vue';
import FoldBlock from '../../ui/FoldBlock.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';

const body = defineModel<NetworkInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined; networkId?: string | undefined }>();
const relayed = ref<NetworkSeen['relayed'] | null>(null);
onMounted(async () => {
  if (!props.networkId) return;
  // Without it the fields are as good.
  relayed.value = (await ask('networkSeen', { id: props.networkId }).catch(() => null))?.relayed ?? null;
});
</script>
<template>
  <FoldBlock title="Pass postbacks on to another system" :open="body.relayUrl !== ''">
    <FormField
      v-slot="{ id, invalid, described }"
      label="URL of the other system"
      hint="Tracheon sends each postback of this network there as well, as it came. Leave empty to pass nothing on."
      :error="error('relayUrl')"
    >
      <AddressInput :id="id" v-model="body.relayUrl" :invalid="invalid" :aria-describedby="described" />
    </FormField>
    <FormField
      v-if="body.relayUrl !== ''"
      v-slot="{ id, invalid }"
      label="Last day (inclusive)"
      hint="If empty, until you remove the URL."
      :error="error('relayUntil')"
    >
      <DayField :id="id" v-model="body.relayUntil" :invalid="invalid" />
    </FormField>
    <p v-if="relayed && relayed.delivered + relayed.waiting + relayed.gaveUp > 0" class="quiet small">
      Last 30 days: {{ count(relayed.delivered) }} delivered, {{ count(relayed.waiting) }} waiting,
      {{ count(relayed.gaveUp) }} given up.
      <template v-if="relayed.lastFailure">Last failure: {{ relayed.lastFailure }}.</template>
    </p>
  </FoldBlock>
</template>
<style scoped src="./partForm.css"></style>
