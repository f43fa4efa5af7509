<script setup lang="ts">
/** Drafts of this desk, to go on with; and campaigns whose chain can be the start of the next. */
import PickOne from '../../ui/PickOne.vue';
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import type { SheetRow } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { moment } from '../../ui/format.ts';
import ListTable, { type Column } from '../../ui/ListTable.vue';
import StateBlock from '../../ui/StateBlock.vue';

const emit = defineEmits<{ copy: [campaignId: string] }>();
const parts = useParts();
const session = useSession();
const confirm = useConfirm();
const rows = shallowRef<SheetRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const search = ref('');
const from = ref('');
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listSheets'),
    (found) => {
      rows.value = found;
      state.value = 'ready';
    },
    (why) => {
      failure.value = why;
      if (rows.value.length === 0) state.value = 'failed';
    },
  );
onMounted(load);
onNews(['sheets'], load);
const nameOf = (r: SheetRow): string =>
  r.body.campaignName || r.body.product || r.body.offerName || r.body.link.slice(0, 60) || 'Empty draft';
const madeOf = (r: SheetRow): string =>
  [r.body.networkId, r.body.sourceId, r.body.landingPageId]
    .map((id) => parts.byId.get(id)?.body.name)
    .filter(Boolean)
    .join(' · ') || '–';
const columns: Column<SheetRow>[] = [
  { key: 'name', label: 'Draft', sort: nameOf },
  { key: 'of', label: 'Parts' },
  { key: 'country', label: 'Country', sort: (r) => r.body.country },
  { key: 'by', label: 'Last edited by', sort: (r) => r.changedBy },
  { key: 'at', label: 'Saved', num: true, sort: (r) => r.changedAt },
  { key: 'acts', label: '(actions)' },
];
function remove(r: SheetRow): void {
  confirm.require({
    header: `Throw “${nameOf(r)}” away?`,
    message: 'This deletes the draft for all members. Parts already created from it stay.',
    acceptLabel: 'Delete draft',
    rejectLabel: 'Cancel',
    accept: () => void ask('removeSheet', { id: r.id }).then(load, load),
  });
}
</script>
<template>
  <section class="sheet" aria-label="Drafts">
    <div class="row spread pad">
      <h2>Drafts</h2>
      <div class="row">
        <PickOne
          v-if="session.canEdit && parts.of('campaign').length"
          v-model="from"
          class="from"
          aria-label="Copy from a campaign"
          @change="emit('copy', from)"
          :options="[
            { value: '', label: 'Copy from a campaign …' },
            ...parts.of('campaign').map((c) => ({ value: c.id, label: c.body.name })),
          ]"
        />
        <InputText
          v-model="search"
          type="search"
          class="search"
          placeholder="Search drafts"
          aria-label="Search drafts"
        />
      </div>
    </div>
    <ListTable
      :rows="rows"
      :columns="columns"
      :state="state"
      :failure="failure"
      label="Drafts"
      sort-by="-at"
      :search="search"
      :text="(r) => `${nameOf(r)} ${madeOf(r)} ${r.body.link}`"
      @again="load"
    >
      <template #empty>
        <StateBlock
          state="empty"
          title="No drafts"
          words="Tracheon saves a draft as soon as you type above. You and the other members can continue it later, on any computer."
        />
      </template>
      <template #name="{ row }"
        ><RouterLink :to="`/set-up/${row.id}`"><strong>{{ nameOf(row) }}</strong></RouterLink></template
      >
      <template #of="{ row }">{{ madeOf(row) }}</template>
      <template #country="{ row }">{{ row.body.country || '–' }}</template>
      <template #by="{ row }">{{ row.changedBy }}</template>
      <template #at="{ row }">{{ moment(row.changedAt, session.desk.zone) }}</template>
      <template #acts="{ row }"
        ><Button
          variant="link"
          v-if="session.canEdit"
          :aria-label="`Delete draft ${nameOf(row)}`"
          @click="remove(row)"
        >
          Delete draft
        </Button></template
      >
    </ListTable>
  </section>
</template>
<style scoped>
.search {
  width: 160px;
}
.from {
  width: auto;
  max-width: 210px;
}
</style>
