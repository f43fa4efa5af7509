<script setup lang="ts">
/** Tokens of scripts: made, told once, revoked. */
import ListTable from '../../ui/ListTable.vue';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import PickOne from '../../ui/PickOne.vue';
import {
  tokenDays,
  tokenInput,
  tokenScopes,
  type MadeToken,
  type TokenRow,
  type TokenScope,
} from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import CopyButton from '../../ui/CopyButton.vue';
import TextField from '../../ui/TextField.vue';
import { moment } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import StateBlock from '../../ui/StateBlock.vue';

type TokenDays = (typeof tokenDays)[number];
const session = useSession();
const confirm = useConfirm();
const rows = ref<TokenRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const making = ref(false);
const made = ref<MadeToken | null>(null);
const blank = { name: '', scope: 'read' as TokenScope, days: 90 as TokenDays, endsWithPassword: false };
const input = ref({ ...blank });
const error = ref('');
const says: Record<TokenScope, string> = { read: 'reads', write: 'reads and changes what you can' };

async function load(): Promise<void> {
  try {
    rows.value = await ask('listTokens');
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
    made.value = await ask('makeToken', { body: parsed.data });
    input.value = { ...blank };
    making.value = false;
    await load();
  } catch (failed) {
    error.value = (failed as Error).message;
  }
}
function askRevoke(row: TokenRow): void {
  confirm.require({
    header: `Revoke ${row.name}?`,
    message:
      'Scripts that use this token stop working at once. You can’t undo this, but you can create a new token.',
    acceptLabel: 'Revoke',
    rejectLabel: 'Cancel',
    accept: () => void revoke(row),
  });
}
async function revoke(row: TokenRow): Promise<void> {
  await ask('revokeToken', { id: row.id }).catch((failed: Error) => (error.value = failed.message));
  if (made.value?.id === row.id) made.value = null;
  await load();
}
</script>
<template>
  <section class="sheet pad" aria-label="Tokens">
    <div class="row spread">
      <h2>Tokens for scripts</h2>
      <Button severity="secondary" v-if="!making" @click="making = true">Create token</Button>
    </div>
    <p class="quiet">
      Scripts can do everything the screens can. See
      <a href="/api/docs" target="_blank" rel="noopener">the API documentation</a>.
    </p>
    <div v-if="made" class="told" role="status">
      <p>The token of “{{ made.name }}”. Copy it now; it won’t be shown again.</p>
      <p class="row">
        <code>{{ made.token }}</code>
        <CopyButton :text="made.token" label="Copy token" />
        <Button severity="secondary" @click="made = null">Done</Button>
      </p>
    </div>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <p v-else-if="rows.length === 0" class="quiet">No tokens yet.</p>
    <ListTable
      v-else
      :rows="rows"
      label="Tokens"
      :columns="[
        { key: 'name', label: 'Name', sort: (t) => t.name },
        { key: 'scope', label: 'Access' },
        ...(session.isOwner ? [{ key: 'member', label: 'Member' }] : []),
        { key: 'ends', label: 'Expires', sort: (t) => t.expiresAt ?? '9' },
        { key: 'used', label: 'Last used', sort: (t) => t.lastUsedAt ?? '' },
        { key: 'act', label: '(Actions)' },
      ]"
    >
      <template #name="{ row }">{{ row.name }}</template>
      <template #scope="{ row }">{{ row.scope }}</template>
      <template #member="{ row }">{{ row.memberName }}</template>
      <template #ends="{ row }"
        >{{ row.expiresAt ? moment(row.expiresAt, session.desk.zone) : 'never'
        }}<span v-if="row.endsWithPassword" class="quiet"> or with the password</span></template
      >
      <template #used="{ row }">{{
        row.lastUsedAt ? moment(row.lastUsedAt, session.desk.zone) : 'never'
      }}</template>
      <template #act="{ row }"
        ><Button severity="secondary" size="small" :aria-label="`Revoke ${row.name}`" @click="askRevoke(row)"
          >Revoke</Button
        ></template
      >
    </ListTable>
    <form v-if="making" class="make" @submit.prevent="make">
      <TextField
        v-model="input.name"
        label="Name"
        hint="The script or service that uses it."
        :error="error"
      />
      <FormField v-slot="{ id }" label="Access"
        ><PickOne
          :id="id"
          v-model="input.scope"
          :options="[...tokenScopes.map((s) => ({ value: s, label: `${s}: ${says[s]}` }))]"
      /></FormField>
      <FormField v-slot="{ id }" label="Expires"
        ><PickOne
          :id="id"
          v-model="input.days"
          :options="tokenDays.map((n) => ({ value: n, label: n === 0 ? 'never' : `after ${n} days` }))"
      /></FormField>
      <label class="row"
        ><Checkbox v-model="input.endsWithPassword" binary /> End it when I change my password</label
      >
      <div class="row">
        <Button type="submit">Create</Button
        ><Button severity="secondary" @click="making = false">Cancel</Button>
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
