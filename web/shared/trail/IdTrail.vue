<script setup lang="ts">
/** The ID trail, in the form that fits the room it has: stations and wires, or a list. */
import { isWayBack, type Hop, type Lack, type TravelledHop } from '@tracheon/core/trail';
import { useElementSize } from '@vueuse/core';
import { computed, useTemplateRef } from 'vue';
import TrailUpright from './TrailUpright.vue';
import TrailWide from './TrailWide.vue';

const props = defineProps<{
  hops: (Hop | TravelledHop)[];
  upright?: boolean;
  ids?: Partial<Record<Lack['at'], string>>;
}>();
/** A station and a wire at their narrowest; below it a name and its chip no longer fit between two stations. */
const LEAST_PER_HOP = 188;
const STATION_PX = 96;
const room = useTemplateRef<HTMLElement>('room');
const { width } = useElementSize(room);
const longestRow = computed(() => {
  const back = props.hops.filter((h) => isWayBack(h.key)).length;
  return Math.max(back, props.hops.length - back);
});
const isWide = computed(
  () => !props.upright && width.value > 0 && width.value >= LEAST_PER_HOP * longestRow.value + STATION_PX,
);
</script>
<template>
  <div ref="room">
    <TrailWide v-if="isWide" :hops="hops" v-bind="ids ? { ids } : {}" />
    <TrailUpright v-else :hops="hops" v-bind="ids ? { ids } : {}" />
  </div>
</template>
