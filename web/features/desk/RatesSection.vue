<script setup lang="ts">
import ListTable from '../../ui/ListTable.vue';
import InputText from 'primevue/inputtext';
import DayField from '../../ui/DayField.vue';
import Button from 'primevue/button';
import { rateInput, type RateRow } from '@tracheon/core/contract';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const rows = ref<RateRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const input = ref({ base: '', day: new Date().toISOString().slice(0, 10), rate: '' });
const errors = ref<Record<string, string>>({});
const done = ref('');
const SHOWN = 12;

async function load(): Promise<void> {
  try {
    rows.value = await ask('listRates');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
async function add(): Promise<void> {
  done.value = '';
  const parsed = rateInput.safeParse(input.value);
  errors.value = parsed.success
    ? {}
    : Object.fromEntries(parsed.error.issues.map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success) return;
  try {
    const { converted } = await ask('setRate', { body: input.value });
    done.value =
      converted > 0
        ? `Rate saved. Tracheon converted ${converted} conversions that were waiting for it.`
        : 'Saved.';
    input.value.rate = '';
    await load();
  } catch (error) {
    const fields = (error as { fields?: { path: string; message: string }[] }).fields ?? [];
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { rate: (error as Error).message };
  }
}
</script>
<template>
  <section class="sheet pad" aria-label="Exchange rates">
    <h2>Exchange rates</h2>
    <p class="quiet">
      Tracheon converts each amount at the latest rate on or before its day. Without a rate, the amount stays
      in its own currency.
    </p>
    <form v-if="session.canEdit" class="add" @submit.prevent="add">
      <FormField v-slot="{ id, invalid }" label="1 unit of" :error="errors.base"
        ><InputText :id="id" v-model.trim="input.base" maxlength="3" placeholder="USD" :invalid="invalid"
      /></FormField>
      <FormField v-slot="{ id, invalid }" :label="`is in ${session.desk.currency}`" :error="errors.rate"
        ><InputText
          :id="id"
          v-model.trim="input.rate"
          inputmode="decimal"
          placeholder="0.9214"
          :invalid="invalid"
      /></FormField>
      <FormField v-slot="{ id, invalid }" label="from" :error="errors.day"
        ><DayField :id="id" v-model="input.day" :invalid="invalid"
      /></FormField>
      <Button severity="secondary" type="submit">Save rate</Button>
    </form>
    <p v-if="done" class="quiet" role="status">{{ done }}</p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <p v-else-if="rows.length === 0" class="quiet">No rates yet.</p>
    <ListTable
      v-else
      :rows="rows"
      :row-key="(r) => r.base + r.day"
      label="Exchange rates"
      :columns="[
        { key: 'base', label: 'Currency', sort: (r) => r.base },
        { key: 'day', label: 'From', sort: (r) => r.day },
        { key: 'rate', label: `In ${session.desk.currency}`, num: true },
      ]"
    >
      <template #base="{ row }">{{ row.base }}</template>
      <template #day="{ row }">{{ row.day }}</template>
      <template #rate="{ row }">{{ row.rate }}</template>
    </ListTable>
    <p v-if="rows.length > SHOWN" class="quiet">And {{ rows.length - SHOWN }} older ones.</p>
  </section>
</template>
<style scoped>
.add {
  display: grid;
  grid-template-columns: 90px 120px 150px auto;
  gap: 6px 12px;
  align-items: start;
  margin: 8px 0;
}
.add button {
  margin-top: 22px;
  justify-self: start;
}
@media (max-width: 560px) {
  .add {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
