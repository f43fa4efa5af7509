<script setup lang="ts">
import { CircleAlert } from '@lucide/vue';

defineProps<{ saving: boolean; failure: string; draft: boolean; label: string }>();
defineEmits<{ discard: [] }>();
</script>
<template>
  <div class="foot">
    <p v-if="failure" class="error row" role="alert"><CircleAlert :size="16" aria-hidden="true" /> {{ failure }}</p>
    <div class="row">
      <button class="main" type="submit" :disabled="saving">{{ saving ? 'Saving …' : label }}</button>
      <template v-if="draft"
        ><span class="quiet">Draft kept on this browser.</span><button type="button" class="bare" @click="$emit('discard')">Begin again</button></template
      >
    </div>
  </div>
</template>
<style scoped>
.foot {
  position: sticky;
  bottom: -24px;
  background: var(--sheet);
  padding: 12px 0 14px;
  border-top: 1px solid var(--hairline);
  display: grid;
  gap: 8px;
  z-index: 1;
}
</style>
