<script setup lang="ts">
/** What the checks have to say of a link, each with its way to mend it where one is certain. */
import Button from 'primevue/button';
import type { Finding } from '@tracheon/core/links';
import { CircleAlert, Info } from '@lucide/vue';

defineProps<{ findings: Finding[] }>();
defineEmits<{ fix: [finding: Finding] }>();
</script>
<template>
  <ul v-if="findings.length" class="findings" aria-label="Findings">
    <li v-for="(f, i) in findings" :key="i" :class="f.weight === 'stop' ? 'error' : 'warn'">
      <component :is="f.weight === 'stop' ? CircleAlert : Info" :size="14" aria-hidden="true" />
      <span>{{ f.sentence }}</span>
      <Button variant="link" v-if="f.fix" @click="$emit('fix', f)">{{ f.fix.words }}</Button>
    </li>
  </ul>
</template>
<style scoped>
.findings {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  font-size: 12px;
}
li {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 1px 0;
}
li svg {
  flex: none;
}
</style>
