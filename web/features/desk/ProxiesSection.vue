<script setup lang="ts">
/** Proxies of the desk, one for each country: to look at offers as a visitor from there. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { proxySaved, type ProxyRow } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { onMounted, ref } from 'vue';
import { ask, type ApiError } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import TextField from '../../ui/TextField.vue';
import { countryName } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import ListTable from '../../ui/ListTable.vue';
import SecretField from '../../ui/SecretField.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const confirm = useConfirm();
const rows = ref<ProxyRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const isEditing = ref(false);
const blank = { country: '', address: '', user: '', password: '' };
const input = ref({ ...blank });
const errors = ref<Record<string, string>>({});
const busy = ref(false);
const failure = ref('');

async function load(): Promise<void> {
  try {
    rows.value = await ask('listProxies');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
function edit(row: ProxyRow | null): void {
  input.value = row
    ? { country: row.country, address: row.address, user: row.user, password: '' }
    : { ...blank };
  errors.value = {};
  isEditing.value = true;
}
async function save(): Promise<void> {
  if (busy.value) return;
  const parsed = proxySaved.safeParse({ ...input.value, country: input.value.country.toUpperCase() });
  errors.value = parsed.success
    ? {}
    : Object.fromEntries(parsed.error.issues.map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success) return;
  busy.value = true;
  try {
    rows.value = await ask('saveProxy', { body: parsed.data });
    isEditing.value = false;
  } catch (error) {
    const { fields = [], message } = error as ApiError;
    errors.value = Object.fromEntries(
      fields.length > 0 ? fields.map((f) => [f.path, f.message]) : [['address', message]],
    );
  } finally {
    busy.value = false;
  }
}
async function remove(row: ProxyRow): Promise<void> {
  failure.value = '';
  await ask('removeProxy', { id: row.id }).catch((error: Error) => (failure.value = error.message));
  await load();
}
function askRemove(row: ProxyRow): void {
  confirm.require({
    header: `Delete the proxy in ${countryName(row.country)}?`,
    message: 'You can’t undo this, but you can add it again.',
    acceptLabel: 'Delete',
    rejectLabel: 'Cancel',
    accept: () => void remove(row),
  });
}
</script>
<template>
  <section class="sheet pad" aria-label="Proxies">
    <div class="row spread">
      <h2>Proxies</h2>
      <Button v-if="session.canEdit && !isEditing" severity="secondary" @click="edit(null)">Add proxy</Button>
    </div>
    <p class="quiet">Your own proxies, to look at offers as a visitor from their country.</p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <p v-else-if="rows.length === 0" class="quiet">No proxies yet.</p>
    <ListTable
      v-else
      :rows="rows"
      label="Proxies"
      :columns="[
        { key: 'country', label: 'Country', sort: (p) => p.country },
        { key: 'address', label: 'Address' },
        { key: 'user', label: 'User' },
        ...(session.canEdit ? [{ key: 'act', label: '(Actions)' }] : []),
      ]"
    >
      <template #country="{ row }">{{ countryName(row.country) }}</template>
      <template #address="{ row }"><span class="mono">{{ row.address }}</span></template>
      <template #user="{ row }">{{ row.user || 'none' }}</template>
      <template #act="{ row }"
        ><Button variant="link" :aria-label="`Edit ${row.country}`" @click="edit(row)">Edit</Button>
        <Button variant="link" :aria-label="`Delete ${row.country}`" @click="askRemove(row)"
          >Delete</Button
        ></template
      >
    </ListTable>
    <form v-if="isEditing" class="make" @submit.prevent="save">
      <FormField
        v-slot="{ id, invalid }"
        label="Country"
        hint="Two letters, such as DK."
        :error="errors.country"
        ><InputText :id="id" v-model.trim="input.country" maxlength="2" :invalid="invalid" autocomplete="off"
      /></FormField>
      <TextField
        v-model.trim="input.address"
        label="Address"
        :error="errors.address"
        mono
        placeholder="proxy.example:8080"
      />
      <TextField v-model.trim="input.user" label="User (optional)" :error="errors.user" />
      <FormField
        v-slot="{ id, invalid }"
        label="Password"
        hint="Tracheon encrypts it and never shows it again. Leave it empty to keep the saved one."
        :error="errors.password"
        ><SecretField :id="id" v-model="input.password" :invalid="invalid" autocomplete="new-password"
      /></FormField>
      <div class="row">
        <Button type="submit" :disabled="busy">Save proxy</Button
        ><Button severity="secondary" @click="isEditing = false">Cancel</Button>
      </div>
    </form>
  </section>
</template>
<style scoped>
.make {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  margin-top: 10px;
}
</style>
