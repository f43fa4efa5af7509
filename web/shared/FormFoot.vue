<script setup lang="ts">
/** The end of every form: what went wrong, both versions where two people saved, the save button, the draft. */
import Button from 'primevue/button';
import { CircleAlert } from '@lucide/vue';
import ConflictBlock from './ConflictBlock.vue';
import type { DraftForm } from './useDraftForm.ts';

defineProps<{ form: DraftForm; label: string }>();
</script>
<template>
  <ConflictBlock
    v-if="form.conflict.value"
    :mine="form.body"
    :theirs="form.conflict.value"
    @take-theirs="form.takeTheirs"
    @keep-mine="form.keepMine"
  />
  <div class="foot">
    <p v-if="form.failure.value && !form.conflict.value" class="error row" role="alert">
      <CircleAlert :size="16" aria-hidden="true" /> {{ form.failure.value }}
    </p>
    <div class="row">
      <Button type="submit" :disabled="form.saving.value || form.conflict.value !== null">
        {{ form.saving.value ? 'Saving …' : label }}
      </Button>
      <template v-if="form.isDraft.value"
        ><span class="quiet">Draft saved in this browser.</span
        ><Button variant="link" @click="form.discard">Discard changes</Button></template
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
