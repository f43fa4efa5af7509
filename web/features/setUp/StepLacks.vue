<script setup lang="ts">
/** What the checks along the chain say of this step, where it arises. */
import type { PartKind } from '@tracheon/core/contract';
import type { Lack } from '@tracheon/core/trail';
import { computed } from 'vue';
import TrailLacks from '../../shared/trail/TrailLacks.vue';
import type { Chain } from './useChain.ts';

const props = defineProps<{ chain: Chain; at: PartKind[]; only?: Lack['code'][] }>();
const lacks = computed(() =>
  props.chain.hops.value
    .flatMap((h) => h.lacks)
    .filter((l) => props.at.includes(l.at) && (!props.only || props.only.includes(l.code))),
);
</script>
<template>
  <TrailLacks v-if="lacks.length" :lacks="lacks" :ids="chain.ids.value" />
</template>
