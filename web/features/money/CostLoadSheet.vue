<script setup lang="ts">
/** One load of costs: its entries, and the way to undo it as one. */
import Button from 'primevue/button';
import { useToast } from 'primevue/usetoast';
import type { CostEntryRow, CostLoad } from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { usePage } from '../../shared/usePage.ts';
import { count, moment, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import MoreRows from '../../ui/MoreRows.vue';
import SideSheet from '../../ui/SideSheet.vue';
import { daysWords, kindWords, scopeWords, sumWords } from './costWords.ts';

const props = defineProps<{ load: CostLoad }>();
const emit = defineEmits<{ closed: []; changed: [] }>();
const session = useSession();
const toast = useToast();
const now = ref(props.load);
const isOpen = ref(true);
const busy = ref(false);
const entries = usePage('costEntries', () => ({ limit: 50 }), { id: props.load.id });
async function act(name: 'undoCost' | 'restoreCost'): Promise<void> {
  busy.value = true;
  try {
    now.value = await ask(name, { id: props.load.id });
    emit('changed');
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  } finally {
    busy.value = false;
  }
}
function close(open: boolean): void {
  isOpen.value = open;
  if (!open) emit('closed');
}
const effect = computed(() => {
  if (now.value.isUndone)
    return now.value.kind === 'feed'
      ? 'It counts again, unless the feed has booked this day anew.'
      : 'It counts again, and replaces what these visits cost.';
  const words = 'Visits cost again what they cost without it.';
  return now.value.kind === 'feed' ? `${words} The next run of this day books it again.` : words;
});
const signed = (row: CostEntryRow): string => money(row.isCredit ? `-${row.amountMicros}` : row.amountMicros);
</script>
<template>
  <SideSheet
    :open="isOpen"
    :title="now.fileName || (now.kind === 'hand' ? 'Cost by hand' : 'Cost')"
    :says="`${now.sourceName} · ${daysWords(now)} · ${sumWords(now)}`"
    @update:open="close"
  >
    <div class="stack">
      <p>
        Added {{ moment(now.at, session.desk.zone) }} by {{ now.by || 'a former member' }} ({{
          kindWords[now.kind]
        }}).
        <template v-if="now.isUndone"
          >Undone by {{ now.undoneBy || 'a former member' }}: it does not count.</template
        >
      </p>
      <p v-if="now.notes">{{ now.notes }}</p>
      <div v-if="session.canEdit" class="row">
        <Button v-if="now.isUndone" severity="secondary" :disabled="busy" @click="act('restoreCost')"
          >Restore cost</Button
        >
        <Button v-else severity="secondary" :disabled="busy" @click="act('undoCost')">Undo cost</Button>
        <span class="quiet">{{ effect }}</span>
      </div>
      <ListTable
        :rows="entries.rows.value"
        :state="entries.state.value"
        :failure="entries.failure.value"
        label="Entries"
        :columns="[
          { key: 'days', label: 'Days' },
          { key: 'scope', label: 'Visits' },
          { key: 'amount', label: 'Amount', num: true },
        ]"
        @again="entries.load"
      >
        <template #days="{ row }">{{ daysWords(row) }}</template>
        <template #scope="{ row }">{{ scopeWords(row) }}</template>
        <template #amount="{ row }">{{ signed(row) }} {{ row.currency }}</template>
      </ListTable>
      <p v-if="now.entries > 50" class="quiet">{{ count(now.entries) }} entries in all.</p>
      <MoreRows :next="entries.next.value" :failure="entries.moreFailure.value" @more="entries.more" />
    </div>
  </SideSheet>
</template>
<style scoped>
p {
  margin: 0;
}
</style>
