<script setup lang="ts">
/** Under a list of parts: what was changed lately, by whom, in words. */
import Button from 'primevue/button';
import { computed, onMounted, ref, watch } from 'vue';
import type { PartKind, RecentChange } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { differences } from '../../shared/differences.ts';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';

const props = defineProps<{ kind: PartKind }>();
const emit = defineEmits<{ history: [id: string] }>();
const parts = useParts();
const session = useSession();
const changes = ref<RecentChange[] | null>(null);
const failure = ref('');
async function load(): Promise<void> {
  try {
    changes.value = await ask('recentChanges', { query: { kind: props.kind } });
    failure.value = '';
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
onMounted(load);
watch(() => parts.all, load);
const MOST_FIELDS = 4;
function whatChanged({ before, body, state }: RecentChange): string {
  if (before === null) return 'created';
  const fields = differences(before.body, body, () => undefined).map((d) => d.field);
  const named = fields.slice(0, MOST_FIELDS).join(', ');
  return [
    before.state === state ? '' : state === 'live' ? 'restored' : state,
    fields.length > MOST_FIELDS ? `${named} and ${fields.length - MOST_FIELDS} more` : named,
  ]
    .filter(Boolean)
    .join(' · ');
}
const rows = computed(() => (changes.value ?? []).map((c) => ({ ...c, what: whatChanged(c) })));
</script>
<template>
  <section class="sheet pad recent" aria-label="Latest changes">
    <h2>Latest changes</h2>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="changes === null" state="loading" />
    <p v-else-if="rows.length === 0" class="quiet">Nothing has been changed yet.</p>
    <ul v-else>
      <li v-for="r in rows" :key="r.id">
        <span class="quiet when">{{ moment(r.changedAt, session.desk.zone) }}</span>
        <Button
          variant="link"
          :aria-label="`History of ${r.body.name}, latest change`"
          @click="emit('history', r.id)"
          >{{ r.body.name }}</Button
        >
        <span>{{ r.what || 'saved without a change' }}</span>
        <span class="quiet">{{ r.changedBy || 'Tracheon' }}</span>
      </li>
    </ul>
  </section>
</template>
<style scoped>
.recent {
  margin-top: 12px;
}
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 120px minmax(140px, 260px) minmax(0, 1fr) auto;
  gap: 12px;
  align-items: baseline;
  justify-items: start;
  border-top: 1px solid var(--hairline);
  padding: 4px 0;
}
.when {
  font-variant-numeric: tabular-nums;
}
@media (max-width: 700px) {
  li {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
