<script setup lang="ts">
/** A campaign for other countries and sources: all of them made at once, their links in one table. */
import ListTable from '../../../ui/ListTable.vue';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import InputText from 'primevue/inputtext';
import type { PartRecord } from '@tracheon/core/contract';
import { adLink } from '@tracheon/core/links';
import { repeatCampaign, type Repeated } from '@tracheon/core/naming';
import CountriesField from '../../../ui/CountriesField.vue';
import { computed, reactive, ref, watch } from 'vue';
import { ask, ApiError } from '../../../app/api.ts';
import { offersOf } from '@tracheon/core/routing';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import CopyButton from '../../../ui/CopyButton.vue';
import { download } from '../../../ui/download.ts';
import { countryName } from '../../../ui/format.ts';
import SideSheet from '../../../ui/SideSheet.vue';
import { useNamedChain } from './useNamedChain.ts';

const props = defineProps<{ from: PartRecord<'campaign'> }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const session = useSession();
const chainOf = useNamedChain();
const countries = ref<string[]>([]);
const sourceIds = ref<string[]>([props.from.body.sourceId]);
const busy = ref(false);
const failure = ref('');
const made = ref<PartRecord<'campaign'>[]>([]);
const sources = computed(() => parts.of('source').filter((s) => sourceIds.value.includes(s.id)));
const offers = computed(() => offersOf(props.from.body).flatMap((id) => parts.one('offer', id)?.body ?? []));
/** As they will be created; names can be changed. */
const rows = reactive<(Repeated & { error: string })[]>([]);
watch(
  [countries, sourceIds],
  () => {
    const repeated = repeatCampaign(
      props.from.body,
      chainOf(props.from),
      { countries: countries.value, sources: sources.value },
      session.desk.nameRules.campaign,
      parts.of('campaign').map((c) => c.body.name),
    );
    rows.splice(0, rows.length, ...repeated.map((r) => ({ ...r, error: '' })));
  },
  { immediate: true },
);
function remark({ country }: Repeated): string {
  if (country === '') return '';
  const closed = offers.value.filter((o) => o.countries.length > 0 && !o.countries.includes(country));
  return closed.map((o) => `${o.name} does not sell in ${countryName(country)}.`).join(' ');
}
const sourceName = (id: string): string => parts.byId.get(id)?.body.name ?? '';
async function make(): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  failure.value = '';
  for (const r of rows) r.error = '';
  try {
    const answer = await ask('makeCampaigns', {
      body: { words: `Duplicated ${props.from.body.name}`, campaigns: rows.map((r) => r.body) },
    });
    await parts.load();
    made.value = answer as PartRecord<'campaign'>[];
  } catch (error) {
    failure.value = `No campaign was created. ${(error as Error).message}`;
    for (const f of error instanceof ApiError ? error.fields : []) {
      const row = rows[Number(f.path.split('.')[0])];
      if (row) row.error = f.message;
    }
  } finally {
    busy.value = false;
  }
}
const linkOf = (c: PartRecord<'campaign'>): string => {
  const source = parts.one('source', c.body.sourceId);
  return source
    ? adLink(session.me?.trackingOrigin ?? '', c, source.body, (id) => parts.one('landing-page', id))
    : '';
};
const allLinks = computed(() => made.value.map((c) => `${c.body.name}\t${linkOf(c)}`).join('\n'));
const cell = (text: string): string => `"${text.replaceAll('"', '""')}"`;
function save(): void {
  const lines = made.value.map((c) =>
    [c.body.name, sourceName(c.body.sourceId), linkOf(c)].map(cell).join(','),
  );
  download('tracking-links.csv', 'text/csv', ['campaign,source,link', ...lines].join('\r\n'));
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="`Duplicate ${from.body.name} for …`"
    says="Tracheon creates one campaign for each country and source and names it by your desk’s rule. Each gets the same routing. Either all are created or none."
  >
    <div v-if="made.length" class="stack">
      <p role="status">{{ made.length }} campaigns created. Tracking links:</p>
      <div class="row">
        <CopyButton main :text="allLinks" label="Copy all links" hint="Names and links, a line each." />
        <Button severity="secondary" @click="save">Export CSV</Button>
      </div>
      <ListTable
        :rows="made"
        label="New campaigns"
        :columns="[
          { key: 'name', label: 'Campaign' },
          { key: 'link', label: 'Tracking link' },
          { key: 'copy', label: '(Copy)' },
        ]"
      >
        <template #name="{ row }"
          ><RouterLink :to="`/campaigns/${row.id}`">{{ row.body.name }}</RouterLink></template
        >
        <template #link="{ row }"><code class="link">{{ linkOf(row) }}</code></template>
        <template #copy="{ row }"
          ><CopyButton :text="linkOf(row)" label="Link" :aria-label="`Copy the link of ${row.body.name}`"
        /></template>
      </ListTable>
    </div>
    <form v-else class="stack" @submit.prevent="make">
      <CountriesField
        v-model="countries"
        hint="Leave empty to keep the country."
        placeholder="Same country"
      />
      <fieldset>
        <legend>Sources</legend>
        <label v-for="s in parts.of('source')" :key="s.id" class="row"
          ><Checkbox v-model="sourceIds" :value="s.id" /> {{ s.body.name }}</label
        >
      </fieldset>
      <ListTable
        v-if="rows.length"
        :rows="rows"
        :row-key="(r) => `${r.country}.${r.sourceId}`"
        label="Campaigns to create"
        :columns="[
          { key: 'name', label: 'Name' },
          { key: 'source', label: 'Source' },
        ]"
      >
        <template #name="{ row }">
          <InputText
            v-model="row.body.name"
            :aria-label="`Name ${rows.indexOf(row) + 1}`"
            maxlength="120"
            fluid
            :invalid="!!row.error"
          />
          <p v-if="row.error" class="error small">{{ row.error }}</p>
          <p v-else-if="remark(row)" class="small">{{ remark(row) }}</p>
        </template>
        <template #source="{ row }">{{ sourceName(row.sourceId) }}</template>
      </ListTable>
      <p v-else class="quiet">Choose at least one source.</p>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <Button type="submit" :disabled="busy || rows.length === 0">
        {{ rows.length === 1 ? 'Create 1 campaign' : `Create ${rows.length} campaigns` }}
      </Button>
    </form>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
