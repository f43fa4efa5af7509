<script setup lang="ts">
/** Tokens of scripts: made, told once, revoked. */
import {
  tokenInput,
  tokenScopes,
  type MadeToken,
  type TokenRow,
  type TokenScope,
} from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { onMounted, ref } from 'vue';
import { api } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../shared/CopyButton.vue';
import { moment } from '../../shared/format.ts';
import FormField from '../../shared/FormField.vue';
import StateBlock from '../../shared/StateBlock.vue';

const session = useSession();
const confirm = useConfirm();
const rows = ref<TokenRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const making = ref(false);
const made = ref<MadeToken | null>(null);
const input = ref<{ name: string; scope: TokenScope }>({ name: '', scope: 'read' });
const error = ref('');
const says: Record<TokenScope, string> = { read: 'reads', write: 'reads and changes, as you may' };

async function load(): Promise<void> {
  try {
    rows.value = await api.get<TokenRow[]>('/tokens');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
async function make(): Promise<void> {
  const parsed = tokenInput.safeParse(input.value);
  error.value = parsed.success ? '' : parsed.error.issues[0]!.message;
  if (!parsed.success) return;
  try {
    made.value = await api.post<MadeToken>('/tokens', parsed.data);
    input.value = { name: '', scope: 'read' };
    making.value = false;
    await load();
  } catch (failed) {
    error.value = (failed as Error).message;
  }
}
function askRevoke(row: TokenRow): void {
  confirm.require({
    header: `Revoke ${row.name}?`,
    message: 'Scripts that show it are refused from now on. This cannot be undone; a new one can be made.',
    acceptLabel: 'Revoke',
    rejectLabel: 'Keep it',
    accept: () => void revoke(row),
  });
}
async function revoke(row: TokenRow): Promise<void> {
  await api.remove(`/tokens/${row.id}`).catch((failed: Error) => (error.value = failed.message));
  if (made.value?.id === row.id) made.value = null;
  await load();
}
</script>
<template>
  <section class="sheet pad" aria-label="Tokens">
    <div class="row spread">
      <h2>Tokens for scripts</h2>
      <button v-if="!making" type="button" @click="making = true">Make a token</button>
    </div>
    <p class="quiet">
      All that the screens can do, scripts can: see
      <a href="/api/docs" target="_blank" rel="noopener">the API’s own page</a>.
    </p>
    <div v-if="made" class="told" role="status">
      <p>The token of “{{ made.name }}”. It is told this once only.</p>
      <p class="row">
        <code>{{ made.token }}</code>
        <CopyButton :text="made.token" label="Copy token" />
        <button type="button" @click="made = null">Done</button>
      </p>
    </div>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <p v-else-if="rows.length === 0" class="quiet">None yet.</p>
    <table v-else>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">May</th>
          <th v-if="session.isOwner" scope="col">Of</th>
          <th scope="col">Last used</th>
          <th scope="col"><span class="visually-hidden">Act</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in rows" :key="t.id">
          <td>{{ t.name }}</td>
          <td>{{ t.scope }}</td>
          <td v-if="session.isOwner">{{ t.memberName }}</td>
          <td>{{ t.lastUsedAt ? moment(t.lastUsedAt, session.desk.zone) : 'never' }}</td>
          <td class="act">
            <button type="button" :aria-label="`Revoke ${t.name}`" @click="askRevoke(t)">Revoke</button>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="making" class="make" @submit.prevent="make">
      <FormField v-slot="{ id, invalid }" label="Name" hint="What uses it." :error="error"
        ><input :id="id" v-model="input.name" :aria-invalid="invalid" autocomplete="off"
      /></FormField>
      <FormField v-slot="{ id }" label="May"
        ><select :id="id" v-model="input.scope">
          <option v-for="s in tokenScopes" :key="s" :value="s">{{ s }}: {{ says[s] }}</option>
        </select></FormField
      >
      <div class="row">
        <button class="main" type="submit">Make it</button
        ><button type="button" @click="making = false">Leave it</button>
      </div>
    </form>
  </section>
</template>
<style scoped>
.told {
  border: 1px solid var(--hairline);
  background: var(--tint);
  padding: 8px 12px;
  margin: 8px 0;
}
.told p {
  margin: 2px 0;
}
.told code {
  overflow-wrap: anywhere;
}
.make {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  margin-top: 10px;
}
.act {
  text-align: right;
}
</style>
