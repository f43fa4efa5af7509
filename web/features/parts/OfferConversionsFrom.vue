<script setup lang="ts">
/** Where the conversions of each event type come from. Tracheon keeps what comes another way for comparison and never adds it. */
import PickOne from '../../ui/PickOne.vue';
import {
  conversionChannels,
  channelOf,
  type OfferInput,
  type ConversionChannel,
} from '@tracheon/core/contract';
import { useParts } from '../../app/parts.ts';

const body = defineModel<OfferInput>({ required: true });
const parts = useParts();
const words: Record<ConversionChannel, string> = {
  postbacks: 'postbacks in',
  feed: 'a feed',
  file: 'a file',
};
function choose(eventTypeId: string, channel: ConversionChannel): void {
  const others = body.value.conversionsFrom.filter((t) => t.eventTypeId !== eventTypeId);
  body.value.conversionsFrom = channel === 'postbacks' ? others : [...others, { eventTypeId, channel }];
}
</script>
<template>
  <div class="channels">
    <h3>Where conversions come from</h3>
    <p v-if="parts.of('event-type').length === 0" class="quiet small">Create an event type first.</p>
    <label v-for="e in parts.of('event-type')" :key="e.id" class="line">
      <span>{{ e.body.name }}</span>
      <PickOne
        :model-value="channelOf(body, e.id)"
        :aria-label="`Source of ${e.body.name}`"
        @change="choose(e.id, $event as ConversionChannel)"
        :options="[...conversionChannels.map((c) => ({ value: c, label: words[c] }))]"
      />
      <span v-if="channelOf(body, e.id) !== 'postbacks'" class="quiet small"
        >Tracheon keeps postbacks for comparison but does not count them.</span
      >
    </label>
  </div>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.channels {
  display: grid;
  gap: 4px;
}
.line {
  display: grid;
  grid-template-columns: 130px 130px 1fr;
  gap: 8px;
  align-items: center;
}
</style>
