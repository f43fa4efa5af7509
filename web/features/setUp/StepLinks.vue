<script setup lang="ts">
/** Step 5: what goes to the network, and, once it is live, what goes to the source. */
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import type { PartRecord, SheetBody } from '@tracheon/core/contract';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import CopyButton from '../../ui/CopyButton.vue';
import LinkText from '../../ui/LinkText.vue';
import LinksOut from '../../shared/LinksOut.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
defineProps<{ chain: Chain; campaign: PartRecord<'campaign'> | undefined }>();
defineEmits<{ handover: [] }>();
const session = useSession();
</script>
<template>
  <div v-if="chain.network.value" class="over">
    <p>
      <strong>To {{ chain.network.value.body.name }}</strong>
      <span class="quiet"> give it this postback URL once for all its offers</span>
    </p>
    <LinkText :link="chain.handover.value" expander="they" />
    <div class="row">
      <CopyButton :text="chain.handover.value" label="Copy postback URL" />
      <Button variant="link" @click="$emit('handover')">Other forms and a message to send</Button>
      <span v-if="chain.networkSeenAt.value" class="quiet"
        >Its postbacks arrive, last {{ moment(chain.networkSeenAt.value, session.desk.zone) }}.</span
      >
      <label v-else-if="!campaign" class="row"
        ><Checkbox v-model="body.handedOver" binary /> I gave it to the network</label
      >
    </div>
  </div>
  <p v-else class="quiet">Choose the network to see the postback URL.</p>
  <LinksOut v-if="campaign" :part="campaign" />
  <p v-else class="quiet">Tracheon creates the tracking link when you go live.</p>
</template>
<style scoped>
.over {
  display: grid;
  gap: 4px;
}
</style>
