<script setup lang="ts">
/** What this desk takes for bots beside what Tracheon recognizes itself. */
import { botList, noBotList, type BotList } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { onMounted, ref } from 'vue';
import Button from 'primevue/button';
import { ask, ApiError } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import FieldGroup from '../../ui/FieldGroup.vue';
import LinesField from '../../ui/LinesField.vue';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const toast = useToast();
const list = ref<BotList>({ ...noBotList });
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const errors = ref<Partial<Record<keyof BotList, string>>>({});
const busy = ref(false);

async function load(): Promise<void> {
  state.value = 'loading';
  try {
    list.value = await ask('botList');
    state.value = 'ready';
  } catch {
    state.value = 'failed';
  }
}
onMounted(load);

/** One message for each field: that of its first wrong line, with the line. */
function show(issues: readonly { path: string; message: string }[]): void {
  const found: Partial<Record<keyof BotList, string>> = {};
  for (const { path, message } of issues) {
    const [field, line] = path.split('.') as [keyof BotList, string?];
    found[field] ??= line === undefined ? message : `“${list.value[field][Number(line)]}”: ${message}`;
  }
  errors.value = found;
}
async function save(): Promise<void> {
  const parsed = botList.safeParse(list.value);
  show((parsed.error?.issues ?? []).map((i) => ({ path: i.path.join('.'), message: i.message })));
  if (!parsed.success || busy.value) return;
  busy.value = true;
  try {
    list.value = await ask('changeBotList', { body: parsed.data });
    toast.add({ severity: 'secondary', summary: 'Saved', life: 2500 });
  } catch (error) {
    const fields = error instanceof ApiError ? error.fields : [];
    show(fields.length > 0 ? fields : [{ path: 'agents', message: (error as Error).message }]);
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <section class="sheet pad" aria-label="Bots">
    <h2>Bots</h2>
    <p class="quiet">
      Tracheon recognizes well-known bots itself. Add others here. It sends them on like other visitors and
      leaves them out of the figures.
    </p>
    <StateBlock v-if="state !== 'ready'" :state="state" @again="load" />
    <form v-else class="stack" @submit.prevent="save">
      <FieldGroup :disabled="!session.canEdit" class="lists">
        <LinesField
          v-model="list.agents"
          label="User agents that contain"
          hint="One per line. Upper and lower case are the same."
          mono
          by-line
          :rows="4"
          :error="errors.agents"
        />
        <LinesField
          v-model="list.addresses"
          label="IP addresses and ranges"
          hint="One per line, such as 192.0.2.7 or 192.0.2.0/24."
          mono
          :rows="4"
          :error="errors.addresses"
        />
      </FieldGroup>
      <div v-if="session.canEdit" class="row">
        <Button severity="secondary" type="submit" :disabled="busy">{{
          busy ? 'Saving …' : 'Save bot list'
        }}</Button>
      </div>
    </form>
  </section>
</template>
<style scoped>
.lists {
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
@media (max-width: 700px) {
  .lists {
    grid-template-columns: 1fr;
  }
}
</style>
