<script setup lang="ts">
/** The member's desks: which there are, the way to another, and a new one. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { newDeskInput } from '@tracheon/core/contract';
import { ref } from 'vue';
import { ask, ApiError } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import ZoneField from '../../ui/ZoneField.vue';

const session = useSession();
const making = ref(false);
const input = ref({ name: '', zone: session.desk.zone, currency: session.desk.currency });
const errors = ref<Record<string, string>>({});
const busy = ref(false);

async function make(): Promise<void> {
  const parsed = newDeskInput.safeParse(input.value);
  errors.value = Object.fromEntries((parsed.error?.issues ?? []).map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success || busy.value) return;
  busy.value = true;
  try {
    await ask('makeDesk', { body: parsed.data });
    // All that is shown belongs to the desk before.
    location.assign('/today');
  } catch (error) {
    const fields = error instanceof ApiError ? error.fields : [];
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { name: (error as Error).message };
    busy.value = false;
  }
}
</script>
<template>
  <section class="sheet pad" aria-label="Your desks">
    <div class="row spread">
      <h2>Your desks</h2>
      <Button v-if="session.isOwner && !making" severity="secondary" @click="making = true">New desk</Button>
    </div>
    <p class="quiet">Each desk has its own parts, campaigns, members and numbers.</p>
    <ul class="desks">
      <li v-for="d in session.me?.desks" :key="d.id" class="row spread">
        <span><strong>{{ d.name }}</strong> <span class="quiet">{{ d.role }}</span></span>
        <span v-if="d.id === session.desk.id" class="quiet">this one</span>
        <Button v-else severity="secondary" size="small" @click="session.switchDesk(d.id)">Switch</Button>
      </li>
    </ul>
    <form v-if="making" class="make" @submit.prevent="make">
      <FormField v-slot="{ id, invalid }" label="Name" :error="errors.name"
        ><InputText :id="id" v-model="input.name" :invalid="invalid" autocomplete="off" autofocus
      /></FormField>
      <FormField v-slot="{ id, invalid }" label="Currency" :error="errors.currency"
        ><InputText :id="id" v-model.trim="input.currency" maxlength="3" :invalid="invalid"
      /></FormField>
      <FormField v-slot="{ id, invalid }" label="Time zone" :error="errors.zone"
        ><ZoneField :id="id" v-model="input.zone" :invalid="invalid"
      /></FormField>
      <div class="row">
        <Button type="submit" :disabled="busy">{{ busy ? 'Creating …' : 'Create desk' }}</Button
        ><Button severity="secondary" @click="making = false">Cancel</Button>
      </div>
    </form>
  </section>
</template>
<style scoped>
.desks {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
.desks li {
  border-top: 1px solid var(--hairline);
  padding: 6px 0;
}
.make {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  margin-top: 10px;
}
.make .row {
  grid-column: 1 / -1;
}
</style>
