<script setup lang="ts">
/** Tracking domains: under which hosts links are given out, whether they lead here, old paths, and where unknown keys go. */
import AddressInput from '../../ui/AddressInput.vue';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Checkbox from 'primevue/checkbox';
import PickOne from '../../ui/PickOne.vue';
import { domainInput, type DomainCheck, type DomainInput, type DomainRow } from '@tracheon/core/contract';
import { Check, CircleAlert, CircleDashed, Plus } from '@lucide/vue';
import { useConfirm } from 'primevue/useconfirm';
import { onMounted, reactive, ref } from 'vue';
import { ask, ApiError } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import RowsField from '../../ui/RowsField.vue';
import FormField from '../../ui/FormField.vue';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';

const session = useSession();
const parts = useParts();
const confirm = useConfirm();
const rows = ref<DomainRow[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
/** The domain that is edited: its ID, empty for a new one; null for none. */
const editing = ref<string | null>(null);
const blank = (): DomainInput => ({ origin: '', isDefault: false, fallbackUrl: '', paths: [] });
const input = reactive<DomainInput>(blank());
const errors = ref<Record<string, string>>({});
const checking = ref('');
const EXAMPLE = 'Example: https://go.hobbykits.example';

async function load(): Promise<void> {
  try {
    rows.value = await ask('listDomains');
    state.value = 'ready';
  } catch (error) {
    failure.value = (error as Error).message;
    state.value = 'failed';
  }
}
onMounted(load);
function edit(row: DomainRow | null): void {
  errors.value = {};
  editing.value = row?.id ?? '';
  const { origin, isDefault, fallbackUrl, paths } = row ?? blank();
  Object.assign(input, { origin, isDefault, fallbackUrl, paths: paths.map((p) => ({ ...p })) });
}
const messages = (
  issues: readonly { path: readonly PropertyKey[]; message: string }[],
): Record<string, string> => Object.fromEntries(issues.map((i) => [i.path.map(String).join('.'), i.message]));

async function save(): Promise<void> {
  const parsed = domainInput.safeParse(input);
  errors.value = parsed.success ? {} : messages(parsed.error.issues);
  if (!parsed.success) return;
  try {
    if (editing.value) await ask('changeDomain', { id: editing.value, body: parsed.data });
    else await ask('addDomain', { body: parsed.data });
    editing.value = null;
    await Promise.all([load(), session.load()]);
  } catch (error) {
    const fields = error instanceof ApiError ? error.fields : [];
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { origin: (error as Error).message };
  }
}
async function look(row: DomainRow): Promise<void> {
  checking.value = row.id;
  try {
    row.check = await ask('checkDomain', { id: row.id });
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    checking.value = '';
  }
}
function remove(row: DomainRow): void {
  confirm.require({
    header: `Remove ${row.origin}?`,
    message:
      'Tracheon stops using it for new links, and its own paths and fallback stop working. Existing links keep working while the domain points to this server.',
    acceptLabel: 'Remove',
    rejectLabel: 'Cancel',
    accept: async () => {
      await ask('removeDomain', { id: row.id }).catch((e: unknown) => (failure.value = (e as Error).message));
      await Promise.all([load(), session.load()]);
    },
  });
}
const said = (c: DomainCheck): string =>
  [
    c.result === 'ok' ? 'points here' : c.sentence,
    c.certificateDays === null ? '' : `certificate valid for ${c.certificateDays} days`,
    c.result === 'ok' ? c.sentence : '',
  ]
    .filter(Boolean)
    .join(' · ');
</script>
<template>
  <section class="sheet pad" aria-label="Tracking domains">
    <div class="row spread">
      <h2>Tracking domains</h2>
      <Button severity="secondary" v-if="session.isOwner && editing === null" @click="edit(null)">
        <Plus :size="14" aria-hidden="true" /> Domain
      </Button>
    </div>
    <p class="quiet">
      New links use the default domain. Point the domain to this server first. Every campaign works under
      every domain.
    </p>
    <StateBlock v-if="state !== 'ready'" :state="state" :words="failure" @again="load" />
    <ul v-else>
      <li v-for="r in rows" :key="r.id">
        <div class="row spread">
          <span><code>{{ r.origin }}</code> <span v-if="r.isDefault" class="quiet">default</span></span>
          <span v-if="r.id" class="row">
            <Button variant="link" v-if="session.canEdit" :disabled="checking === r.id" @click="look(r)">
              {{ checking === r.id ? 'Checking …' : 'Check' }}
            </Button>
            <Button variant="link" v-if="session.isOwner" @click="edit(r)">Edit</Button>
            <Button
              variant="link"
              v-if="session.isOwner"
              :aria-label="`Remove ${r.origin}`"
              @click="remove(r)"
            >
              Remove
            </Button>
          </span>
          <span v-else class="quiet small">this server itself</span>
        </div>
        <p v-if="r.check" class="small row" :class="{ error: r.check.result !== 'ok' }">
          <component :is="r.check.result === 'ok' ? Check : CircleAlert" :size="14" aria-hidden="true" />
          {{ said(r.check) }} · {{ moment(r.check.at, session.desk.zone) }}
        </p>
        <p v-else-if="r.id" class="small row quiet">
          <CircleDashed :size="14" aria-hidden="true" /> not checked yet
        </p>
        <p v-if="r.paths.length || r.fallbackUrl" class="small quiet">
          {{ r.paths.map((p) => `${p.path} → ${parts.byId.get(p.campaignId)?.body.name ?? '–'}`).join(' · ')
          }}{{ r.paths.length && r.fallbackUrl ? ' · ' : ''
          }}{{ r.fallbackUrl ? `unknown links → ${r.fallbackUrl}` : '' }}
        </p>
      </li>
    </ul>
    <form v-if="editing !== null" class="edit" @submit.prevent="save">
      <FormField v-slot="{ id, invalid, described }" label="Domain" :hint="EXAMPLE" :error="errors.origin">
        <InputText
          :id="id"
          v-model.trim="input.origin"
          class="mono-input"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <label class="row"><Checkbox v-model="input.isDefault" binary /> Use it for new links</label>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Fallback for unknown links"
        hint="If empty, visitors see a short notice."
        :error="errors.fallbackUrl"
      >
        <AddressInput :id="id" v-model="input.fallbackUrl" :invalid="invalid" :aria-describedby="described" />
      </FormField>
      <RowsField
        v-slot="{ row, i }"
        v-model="input.paths"
        add="Add path that existing ads use"
        one="own path"
        :make="() => ({ path: '', campaignId: parts.of('campaign')[0]?.id ?? '' })"
      >
        <div class="path">
          <InputText
            v-model.trim="row.path"
            class="mono-input"
            placeholder="/go/spring"
            :aria-label="`Own path ${i + 1}`"
          />
          <span>goes to</span>
          <PickOne
            v-model="row.campaignId"
            :aria-label="`Campaign of own path ${i + 1}`"
            :options="[...parts.of('campaign').map((c) => ({ value: c.id, label: c.body.name }))]"
          />
          <p v-if="errors[`paths.${i}.path`]" class="error small">{{ errors[`paths.${i}.path`] }}</p>
        </div>
      </RowsField>
      <div class="row">
        <Button type="submit">Save domain</Button>
        <Button variant="link" @click="editing = null">Cancel</Button>
      </div>
    </form>
  </section>
</template>
<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--hairline);
  padding: 6px 0;
}
.small {
  font-size: 12px;
  margin: 0;
}
.edit {
  display: grid;
  gap: 6px;
  justify-items: start;
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
}
.edit > :deep(.field),
.path {
  width: 100%;
}
.path {
  display: grid;
  grid-template-columns: 1fr auto 1.2fr;
  gap: 8px;
  align-items: center;
}
.path > p {
  grid-column: 1 / -1;
}
</style>
