<script setup lang="ts">
/** Whether this campaign has a routing of its own or shares one, with what sharing means; and the list of all shared ones. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import type { CampaignInput, PartRecord, SharedRoutingRow } from '@tracheon/core/contract';
import { computed, onMounted, ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import { onNews } from '../../../app/stream.ts';
import FormField from '../../../ui/FormField.vue';
import PickOne from '../../../ui/PickOne.vue';
import SideSheet from '../../../ui/SideSheet.vue';
import StateBlock from '../../../ui/StateBlock.vue';

const props = defineProps<{
  part: PartRecord<'campaign'>;
  /** The draft is not what is published. */
  isDirty: boolean;
}>();
const body = defineModel<CampaignInput>({ required: true });
const emit = defineEmits<{ shared: [] }>();
const parts = useParts();
const session = useSession();
const toast = useToast();
const confirm = useConfirm();
const all = ref<SharedRoutingRow[]>([]);
const failure = ref('');
async function load(): Promise<void> {
  try {
    all.value = await ask('listSharedRoutings');
    failure.value = '';
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
onMounted(load);
onNews(['parts'], load, 1500);

const current = computed(() => all.value.find((s) => s.id === body.value.sharedRoutingId));
const others = computed(() => (current.value?.campaigns ?? []).filter((c) => c.id !== props.part.id));
const options = computed(() => [
  { value: '', label: 'of this campaign only' },
  ...all.value.map((s) => ({ value: s.id, label: s.name })),
]);
/** What is shared takes the place of the draft, to be looked at before it is published. */
function choose(id: string): void {
  const shared = all.value.find((s) => s.id === id);
  body.value.sharedRoutingId = id;
  if (shared) body.value.routing = JSON.parse(JSON.stringify(shared.routing)) as CampaignInput['routing'];
}
const sheetOpen = ref(false);
const name = ref('');
const nameError = ref('');
async function attempt(work: () => Promise<unknown>): Promise<boolean> {
  nameError.value = '';
  try {
    await work();
    await Promise.all([load(), parts.load()]);
    return true;
  } catch (error) {
    nameError.value = (error as Error).message;
    return false;
  }
}
async function share(): Promise<void> {
  const text = name.value.trim();
  if (text === '') nameError.value = 'Enter a name.';
  else if (await attempt(() => ask('shareRouting', { body: { name: text, campaignId: props.part.id } }))) {
    sheetOpen.value = false;
    toast.add({ severity: 'secondary', summary: `${text} is a shared routing now`, life: 3000 });
    emit('shared');
  }
}
const renamed = ref<Record<string, string>>({});
const rename = (s: SharedRoutingRow): Promise<boolean> =>
  attempt(() => ask('renameSharedRouting', { id: s.id, body: { name: renamed.value[s.id] ?? s.name } }));
const remove = (s: SharedRoutingRow): void =>
  confirm.require({
    header: `Delete ${s.name}?`,
    message: 'No campaign uses it. You can’t undo this.',
    acceptLabel: 'Delete',
    rejectLabel: 'Cancel',
    accept: () => void attempt(() => ask('removeSharedRouting', { id: s.id })),
  });
</script>
<template>
  <section class="sheet pad bar" aria-label="Shared routing">
    <span class="row which">
      <span>Routing</span>
      <PickOne
        :model-value="body.sharedRoutingId"
        aria-label="Routing that this campaign uses"
        :options="options"
        :disabled="!session.canEdit"
        @update:model-value="(id) => choose(String(id))"
      />
    </span>
    <span v-if="others.length > 0" class="quiet"
      >Publishing also changes {{ others.map((c) => c.name).join(', ') }}.</span
    >
    <Button v-if="session.canEdit" variant="link" @click="sheetOpen = true">Shared routings …</Button>
  </section>
  <SideSheet
    v-model:open="sheetOpen"
    title="Shared routings"
    says="Several campaigns can use one routing. Publishing it in one of them changes all of them."
  >
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <template v-else>
      <form v-if="body.sharedRoutingId === ''" class="stack" @submit.prevent="share">
        <FormField
          v-slot="{ id, invalid }"
          label="Share this campaign’s routing as"
          :hint="isDirty ? 'Publish or discard your draft first.' : 'Other campaigns can then choose it.'"
          :error="nameError"
        >
          <InputText :id="id" v-model="name" :invalid="invalid" :disabled="isDirty" />
        </FormField>
        <div class="row"><Button type="submit" :disabled="isDirty">Share routing</Button></div>
      </form>
      <p v-else-if="nameError" class="error" role="alert">{{ nameError }}</p>
      <p v-if="all.length === 0" class="quiet">No shared routings yet.</p>
      <ul v-else class="list">
        <li v-for="s in all" :key="s.id">
          <div class="row">
            <InputText
              :model-value="renamed[s.id] ?? s.name"
              :aria-label="`Name of ${s.name}`"
              @update:model-value="(text) => (renamed[s.id] = String(text))"
            />
            <Button
              v-if="(renamed[s.id] ?? s.name) !== s.name"
              severity="secondary"
              :aria-label="`Rename ${s.name}`"
              @click="rename(s)"
              >Rename</Button
            >
            <Button
              variant="link"
              :disabled="s.campaigns.length > 0"
              :aria-label="`Delete ${s.name}`"
              @click="remove(s)"
              >Delete</Button
            >
          </div>
          <p class="quiet">
            {{
              s.campaigns.length === 0
                ? 'No campaign uses it.'
                : `Used by ${s.campaigns.map((c) => c.name).join(', ')}.`
            }}
          </p>
        </li>
      </ul>
    </template>
  </SideSheet>
</template>
<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  padding-top: 6px;
  padding-bottom: 6px;
}
.which {
  flex-wrap: nowrap;
  min-width: 0;
  width: 300px;
}
.which > :last-child {
  flex: 1;
  min-width: 0;
}
.list {
  list-style: none;
  margin: 10px 0 0;
  padding: 0;
}
.list li {
  border-top: 1px solid var(--hairline);
  padding: 6px 0;
}
</style>
