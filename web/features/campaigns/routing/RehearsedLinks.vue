<script setup lang="ts">
/** Links as this visitor would see them, each with the tokens that stay empty. */
import { CircleAlert } from '@lucide/vue';
import type { RehearsedLink } from './rehearsedWay.ts';

defineProps<{ links: readonly RehearsedLink[] }>();
const tokens = (names: readonly string[]): string => names.map((name) => `{${name}}`).join(', ');
</script>
<template>
  <dl class="links">
    <template v-for="(link, i) in links" :key="i">
      <dt class="quiet">{{ link.what }}</dt>
      <dd>
        <template v-if="link.filled.url !== null">
          <span class="mono address">{{ link.filled.url }}</span>
        </template>
        <span v-else class="row error"
          ><CircleAlert :size="14" aria-hidden="true" /> This link can’t be used. Open the part and fix
          it.</span
        >
        <span v-if="link.filled.empty.length > 0" class="quiet empty"
          >Empty for this visitor: {{ tokens(link.filled.empty) }}</span
        >
      </dd>
    </template>
  </dl>
</template>
<style scoped>
.links {
  margin: 2px 0 6px;
  font-size: 12px;
}
dt {
  overflow-wrap: anywhere;
}
dd {
  margin: 0 0 4px;
}
.address {
  overflow-wrap: anywhere;
}
.empty {
  display: block;
}
</style>
