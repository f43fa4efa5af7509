<script setup lang="ts">
/** Values of sub-IDs that a partner may not send. */
import type { PartnerInput } from '@tracheon/core/contract';
import { subsOf } from '@tracheon/core/parts';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import LinesField from '../../ui/LinesField.vue';
import PickOne from '../../ui/PickOne.vue';
import RowsField from '../../ui/RowsField.vue';
import { newRow } from '../../shared/newRows.ts';

const body = defineModel<PartnerInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined }>();
const parts = useParts();
/** Those that sources name, and what is chosen already. */
const subs = computed(() => {
  const named = parts.of('source').flatMap((s) => subsOf(s.body));
  const chosen = body.value.blockedSubs.map((b) => b.sub).filter((sub) => sub !== '');
  return [...new Set([...named, ...chosen])].sort().map((value) => ({ value, label: value }));
});
</script>
<template>
  <RowsField
    v-slot="{ row, i }"
    v-model="body.blockedSubs"
    add="Block values of a sub-ID"
    one="blocked sub-ID"
    title="Blocked sub-IDs"
    hint="Visits with one of these values go to no offer, but to the fallback URL. They stay in your numbers, with a note."
    :make="newRow.blockedSub"
    tall
  >
    <div class="block">
      <PickOne
        v-model="row.sub"
        :options="subs"
        :aria-label="`Sub-ID of block ${i + 1}`"
        placeholder="Choose a sub-ID"
        :invalid="!!error(`blockedSubs.${i}.sub`)"
      />
      <p v-if="error(`blockedSubs.${i}.sub`)" class="error small">{{ error(`blockedSubs.${i}.sub`) }}</p>
      <LinesField
        v-model="row.values"
        :label="`Values of block ${i + 1}`"
        hint="One per line."
        by-line
        mono
        :error="error(`blockedSubs.${i}.values`)"
      />
    </div>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.block {
  display: grid;
  gap: 6px;
  width: 100%;
}
.block > p {
  margin: 0;
}
</style>
