<script setup lang="ts">
import { memberInput, roles, type MemberRow, type Role } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { onMounted, ref } from 'vue';
import { api } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../shared/FormField.vue';
import StateBlock from '../../shared/StateBlock.vue';

const session = useSession();
const toast = useToast();
const rows = ref<MemberRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const adding = ref(false);
const blank = { name: '', email: '', role: 'editor' as Role, password: '' };
// A password is no draft: it is never kept on the browser.
const input = ref({ ...blank });
const errors = ref<Record<string, string>>({});
const says: Record<Role, string> = {
  viewer: 'looks',
  editor: 'edits Parts and campaigns',
  owner: 'everything',
};

async function load(): Promise<void> {
  try {
    rows.value = await api.get<MemberRow[]>('/members');
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
    await api.post('/members', input.value);
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
async function change(member: MemberRow, role: Role): Promise<void> {
  try {
    await api.put(`/members/${member.id}/role`, { role });
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
      <button v-if="session.isOwner && !adding" type="button" @click="adding = true">Add a member</button>
    </div>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <table v-else>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">E-mail</th>
          <th scope="col">Role</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="m in rows" :key="m.id">
          <td>{{ m.name }}</td>
          <td>{{ m.email }}</td>
          <td>
            <select
              v-if="session.isOwner"
              :value="m.role"
              :aria-label="`Role of ${m.name}`"
              @change="change(m, ($event.target as HTMLSelectElement).value as Role)"
            >
              <option v-for="r in roles" :key="r" :value="r">{{ r }}: {{ says[r] }}</option>
            </select>
            <span v-else>{{ m.role }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="adding" class="add" @submit.prevent="add">
      <FormField v-slot="{ id, invalid }" label="Name" :error="errors.name"
        ><input :id="id" v-model="input.name" :aria-invalid="invalid" autocomplete="off"
      /></FormField>
      <FormField v-slot="{ id, invalid }" label="E-mail address" :error="errors.email"
        ><input :id="id" v-model="input.email" :aria-invalid="invalid" autocomplete="off"
      /></FormField>
      <FormField v-slot="{ id }" label="Role"
        ><select :id="id" v-model="input.role">
          <option v-for="r in roles" :key="r" :value="r">{{ r }}: {{ says[r] }}</option>
        </select></FormField
      >
      <FormField
        v-slot="{ id, invalid }"
        label="First password"
        hint="At least 12 characters; tell it to them in person."
        :error="errors.password"
        ><input
          :id="id"
          v-model="input.password"
          type="password"
          autocomplete="new-password"
          :aria-invalid="invalid"
      /></FormField>
      <div class="row">
        <button class="main" type="submit">Add</button
        ><button type="button" @click="adding = false">Leave it</button>
      </div>
    </form>
  </section>
</template>
<style scoped>
.add {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  margin-top: 10px;
}
</style>
