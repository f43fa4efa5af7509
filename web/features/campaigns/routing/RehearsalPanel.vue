<script setup lang="ts">
/** The routing in the editor tried on paper: for one visitor, or for ten thousand like those of last week. */
import type { PartRecord, Routing } from '@tracheon/core/contract';
import type { ValueName } from '@tracheon/core/routing';
import { ref } from 'vue';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import ManyVisitors from './ManyVisitors.vue';
import OneVisitor from './OneVisitor.vue';

defineProps<{
  part: PartRecord<'campaign'>;
  routing: Routing;
  zone: string;
  letters: (id: string) => string;
  nameOf: ValueName;
  /** The draft is not what is published. */
  isDirty: boolean;
}>();
const mode = ref<'one' | 'many'>('one');
const modes = [
  { value: 'one' as const, label: 'One visitor' },
  { value: 'many' as const, label: 'Ten thousand' },
];
</script>
<template>
  <section class="sheet pad panel" aria-label="Rehearsal">
    <div class="row spread head">
      <h2>Rehearsal</h2>
      <SegmentChoice v-model="mode" :options="modes" label="Visitors of the rehearsal" />
    </div>
    <OneVisitor
      v-show="mode === 'one'"
      :part="part"
      :routing="routing"
      :zone="zone"
      :letters="letters"
      :name-of="nameOf"
      :is-dirty="isDirty"
    />
    <ManyVisitors v-if="mode === 'many'" :part="part" :routing="routing" :zone="zone" :letters="letters" />
  </section>
</template>
<style scoped>
/* Beside the editor it stays in sight. */
@media (min-width: 1180px) {
  .panel {
    position: sticky;
    top: 12px;
    max-height: calc(100vh - 90px);
    overflow-y: auto;
  }
}
.head {
  margin-bottom: 8px;
}
</style>
