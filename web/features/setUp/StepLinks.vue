<script setup lang="ts">
/** Step 5: what goes to the network, and, once it is live, what goes to the source. */
import type { PartRecord, SheetBody } from '@tracheon/core/contract';
import CopyButton from '../../shared/CopyButton.vue';
import LinkText from '../../shared/LinkText.vue';
import LinksOut from '../campaigns/LinksOut.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
defineProps<{ chain: Chain; campaign: PartRecord<'campaign'> | undefined }>();
defineEmits<{ handover: [] }>();
</script>
<template>
  <div v-if="chain.network.value" class="over">
    <p>
      <strong>To {{ chain.network.value.body.name }}</strong>
      <span class="quiet"> the postback URL, once for all its offers</span>
    </p>
    <LinkText :link="chain.handover.value" expander="they" />
    <div class="row">
      <CopyButton :text="chain.handover.value" label="Copy postback URL" />
      <button type="button" class="bare" @click="$emit('handover')">Other forms, and a text to send</button>
      <label v-if="!campaign" class="row"
        ><input v-model="body.handedOver" type="checkbox" /> it is pasted there</label
      >
    </div>
  </div>
  <p v-else class="quiet">The postback URL is known once the network is.</p>
  <LinksOut v-if="campaign" :part="campaign" />
  <p v-else class="quiet">The tracking link is made when the chain goes live.</p>
</template>
<style scoped>
.over {
  display: grid;
  gap: 4px;
}
</style>
