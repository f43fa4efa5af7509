<script setup lang="ts">
/** An offer replaced with another in every campaign that goes to it: seen first, done as one change, undone as one. */
import ListTable from '../../../ui/ListTable.vue';
import PickOne from '../../../ui/PickOne.vue';
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { checkChain } from '@tracheon/core/links';
import { computed, ref, watch } from 'vue';
import { landingPagesOf, offersOf, withOfferReplaced } from '@tracheon/core/routing';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import FormField from '../../../ui/FormField.vue';
import SideSheet from '../../../ui/SideSheet.vue';
import BulkFoot from '../../../shared/BulkFoot.vue';
import { useBulkChange } from '../../../shared/useBulkChange.ts';

const props = defineProps<{ offerId?: string }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const session = useSession();
const { busy, failure, done, change, undo } = useBulkChange();
const from = ref(props.offerId ?? '');
const to = ref('');
const users = computed(() =>
  parts.of('campaign').filter((c) => from.value !== '' && offersOf(c.body).includes(from.value)),
);
const picked = ref<string[]>([]);
watch(users, (now) => (picked.value = now.map((c) => c.id)), { immediate: true });
const target = computed(() => parts.one('offer', to.value));
const nameOf = (id: string): string => parts.byId.get(id)?.body.name ?? '';
/** What would not agree any more, said before it is done. */
function remarks(c: PartRecord<'campaign'>): string[] {
  const source = parts.one('source', c.body.sourceId);
  const network = target.value && parts.one('network', target.value.body.networkId);
  if (!source || !network || !target.value) return [];
  return checkChain({
    campaign: c.body,
    source: source.body,
    offer: target.value.body,
    network: network.body,
    deskCurrency: session.desk.currency,
  }).map((f) => f.sentence);
}
/** The new one does not sell where the old one did. */
const elsewhere = computed(() => {
  const [old, now] = [parts.one('offer', from.value)?.body, target.value?.body];
  if (!old || !now || now.countries.length === 0) return '';
  const lost = old.countries.filter((c) => !now.countries.includes(c));
  return lost.length === 0 ? '' : `${now.name} does not sell in ${lost.join(', ')}, where ${old.name} does.`;
});
const pages = (c: PartRecord<'campaign'>): string =>
  landingPagesOf(c.body)
    .map((id) => `by ${nameOf(id)}`)
    .join(', ') || 'direct link';
async function swap(): Promise<void> {
  const chosen = users.value.filter((c) => picked.value.includes(c.id));
  await change(
    `${nameOf(from.value)} replaced with ${nameOf(to.value)}`,
    chosen.map((c) => ({
      id: c.id,
      version: c.version,
      body: withOfferReplaced(c.body, from.value, to.value),
    })),
  );
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Replace an offer"
    says="Replaces the offer in the selected campaigns. Visitors go to the new offer within a second."
  >
    <form class="stack" @submit.prevent="swap">
      <div class="half">
        <FormField v-slot="{ id }" label="Offer to replace">
          <PickOne
            :id="id"
            v-model="from"
            :options="[...parts.of('offer').map((o) => ({ value: o.id, label: o.body.name }))]"
            placeholder="Choose"
          />
        </FormField>
        <FormField v-slot="{ id }" label="New offer">
          <PickOne
            :id="id"
            v-model="to"
            :options="[
              ...parts
                .of('offer')
                .filter((o) => o.id !== from)
                .map((o) => ({ value: o.id, label: o.body.name })),
            ]"
            placeholder="Choose"
          />
        </FormField>
      </div>
      <p v-if="elsewhere" class="small" role="note">{{ elsewhere }}</p>
      <ListTable
        v-if="users.length"
        v-model:chosen="picked"
        :rows="users"
        :choose-as="(c) => c.body.name"
        label="Campaigns with this offer"
        :columns="[
          { key: 'name', label: 'Campaign', sort: (c) => c.body.name },
          { key: 'way', label: 'Route' },
          { key: 'share', label: 'Share of its visitors' },
        ]"
      >
        <template #name="{ row }">
          {{ row.body.name }}<span v-if="row.state !== 'live'" class="quiet"> · paused</span>
          <p v-for="r in remarks(row)" :key="r" class="small">{{ r }}</p>
        </template>
        <template #way="{ row }">{{ pages(row) }}</template>
        <template #share>all</template>
      </ListTable>
      <p v-else-if="from && !done" class="quiet">No campaign uses this offer.</p>
      <Button type="submit" :disabled="busy || !from || !to || from === to || picked.length === 0">
        Replace in {{ picked.length === 1 ? '1 campaign' : `${picked.length} campaigns` }}
      </Button>
      <BulkFoot :done="done" :failure="failure" :busy="busy" @undo="undo" />
    </form>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
