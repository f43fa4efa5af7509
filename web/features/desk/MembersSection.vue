<script setup lang="ts">
import ListTable from '../../ui/ListTable.vue';
import Button from 'primevue/button';
import PickOne from '../../ui/PickOne.vue';
import SecretField from '../../ui/SecretField.vue';
import { memberInput, roles, type MemberRow, type Role } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import CopyButton from '../../ui/CopyButton.vue';
import TextField from '../../ui/TextField.vue';
import { moment } from '../../ui/format.ts';
import { useToast } from 'primevue/usetoast';
import { onMounted, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const toast = useToast();
const confirm = useConfirm();
const rows = ref<MemberRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const adding = ref(false);
const blank = { name: '', email: '', role: 'editor' as Role, password: '' };
// A password is no draft: it is never kept on the browser.
const input = ref({ ...blank });
const errors = ref<Record<string, string>>({});
const says: Record<Role, string> = {
  viewer: 'looks',
  editor: 'edits parts and campaigns',
  owner: 'everything',
};

async function load(): Promise<void> {
  try {
    rows.value = await ask('listMembers');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);
async function add(): Promise<void> {
  const parsed = memberInput.safeParse(input.value);
  errors.value = parsed.success
    ? {}
    : Object.fromEntries(parsed.error.issues.map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success) return;
  try {
    await ask('addMember', { body: input.value });
    input.value = { ...blank };
    adding.value = false;
    await load();
  } catch (error) {
    const fields = (error as { fields?: { path: string; message: string }[] }).fields ?? [];
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { name: (error as Error).message };
  }
}
const link = ref<{ name: string; url: string; expiresAt: string } | null>(null);
async function reset(member: MemberRow): Promise<void> {
  try {
    link.value = { name: member.name, ...(await ask('makePasswordLink', { id: member.id })) };
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 8000 });
  }
}
function askRemove(member: MemberRow): void {
  confirm.require({
    header: `Remove ${member.name} from this desk?`,
    message: 'Their sessions and tokens on this desk stop working at once. You can add them again later.',
    acceptLabel: 'Remove',
    rejectLabel: 'Cancel',
    accept: () => void remove(member),
  });
}
async function remove(member: MemberRow): Promise<void> {
  try {
    await ask('removeMember', { id: member.id });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
  await load();
}
async function change(member: MemberRow, role: Role): Promise<void> {
  try {
    await ask('setRole', { id: member.id, body: { role } });
  } catch (error) {
    toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
  }
  await load();
}
</script>
<template>
  <section class="sheet pad" aria-label="Members">
    <div class="row spread">
      <h2>Members</h2>
      <Button severity="secondary" v-if="session.isOwner && !adding" @click="adding = true"
        >Add a member</Button
      >
    </div>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <ListTable
      v-else
      :rows="rows"
      label="Members"
      :columns="[
        { key: 'name', label: 'Name', sort: (m) => m.name, fixed: true },
        { key: 'email', label: 'E-mail', sort: (m) => m.email },
        { key: 'role', label: 'Role', sort: (m) => m.role },
        ...(session.isOwner ? [{ key: 'act', label: '(Actions)' }] : []),
      ]"
    >
      <template #name="{ row }">{{ row.name }}</template>
      <template #email="{ row }">{{ row.email }}</template>
      <template #role="{ row }">
        <PickOne
          v-if="session.isOwner"
          :model-value="row.role"
          :aria-label="`Role of ${row.name}`"
          :options="roles.map((r) => ({ value: r, label: `${r}: ${says[r]}` }))"
          @change="change(row, $event)"
        />
        <span v-else>{{ row.role }}</span>
      </template>
      <template #act="{ row }">
        <span class="row acts">
          <Button
            severity="secondary"
            size="small"
            :aria-label="`Reset password of ${row.name}`"
            @click="reset(row)"
            >Reset password</Button
          >
          <Button severity="secondary" size="small" :aria-label="`Remove ${row.name}`" @click="askRemove(row)"
            >Remove</Button
          >
        </span>
      </template>
    </ListTable>
    <div v-if="link" class="told" role="status">
      <p>
        Give this link to {{ link.name }}. It works once, until
        {{ moment(link.expiresAt, session.desk.zone) }}. Copy it now; it won’t be shown again.
      </p>
      <p class="row">
        <code>{{ link.url }}</code>
        <CopyButton :text="link.url" label="Copy link" />
        <Button severity="secondary" @click="link = null">Done</Button>
      </p>
    </div>
    <form v-if="adding" class="add" @submit.prevent="add">
      <TextField v-model="input.name" label="Name" :error="errors.name" />
      <TextField v-model="input.email" label="E-mail address" :error="errors.email" />
      <FormField v-slot="{ id }" label="Role"
        ><PickOne
          :id="id"
          v-model="input.role"
          :options="[...roles.map((r) => ({ value: r, label: `${r}: ${says[r]}` }))]"
      /></FormField>
      <FormField
        v-slot="{ id, invalid }"
        label="Initial password"
        hint="At least 12 characters. Give it to the member in person. Leave name and password empty if this person already has an account here."
        :error="errors.password"
        ><SecretField :id="id" v-model="input.password" autocomplete="new-password" :invalid="invalid"
      /></FormField>
      <div class="row">
        <Button type="submit">Add</Button><Button severity="secondary" @click="adding = false">Cancel</Button>
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
.told code {
  overflow-wrap: anywhere;
}
.acts {
  flex-wrap: nowrap;
}
.add {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  margin-top: 10px;
}
</style>
