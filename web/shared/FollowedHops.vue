<script setup lang="ts">
/** The way that a link took, address by address. */
import type { FollowedHop } from '@tracheon/core/contract';
import { CircleAlert, CircleCheck } from '@lucide/vue';

defineProps<{ hops: FollowedHop[]; isFound: boolean; sentence: string }>();
const wayWords: Record<FollowedHop['way'], string> = {
  redirect: 'redirects',
  refresh: 'forwards automatically',
  end: 'is the last page',
  failed: 'does not answer',
  own: 'is your own tracking domain',
};
const changeWords = ({ name, what, to }: FollowedHop['changes'][number]): string =>
  what === 'moved'
    ? `${name} became ${to}`
    : what === 'changed'
      ? `${name} got another value: ${to}`
      : `${name} was dropped`;
</script>
<template>
  <ol>
    <li v-for="(hop, i) in hops" :key="i">
      <span class="mono address">{{ hop.url }}</span>
      <span class="quiet changes"
        >{{ wayWords[hop.way] }}{{ hop.status === null ? '' : ` (${hop.status})` }}, {{ hop.tookMs }} ms</span
      >
      <span v-if="hop.changes.length > 0" class="quiet changes">{{
        hop.changes.map(changeWords).join(', ')
      }}</span>
    </li>
  </ol>
  <p role="status" class="row" :class="{ error: !isFound }">
    <component :is="isFound ? CircleCheck : CircleAlert" :size="14" aria-hidden="true" />
    {{ sentence }}
  </p>
</template>
<style scoped>
.address {
  overflow-wrap: anywhere;
  font-size: 12px;
}
ol {
  margin: 4px 0;
  padding-left: 20px;
}
.changes {
  display: block;
  font-size: 12px;
}
</style>
