<script setup lang="ts">
/** Who signs in at the partner page for a partner. */
import Button from 'primevue/button';
import { partnerUserInput, type PartRecord, type PartnerUser } from '@tracheon/core/contract';
import { useConfirm } from 'primevue/useconfirm';
import { ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import TextField from '../../ui/TextField.vue';

const props = defineProps<{ part: PartRecord<'partner'> }>();
const session = useSession();
const confirm = useConfirm();
const { answer, failure, load } = useAnswer(
  () => props.part.id,
  (id) => ask('listPartnerUsers', { id }),
);
const adding = ref(false);
const input = ref({ name: '', email: '' });
const errors = ref<Record<string, string>>({});
const wrong = ref('');
const busy = ref(false);
/** What to tell the person; the link is shown once. */
const told = ref<{ name: string; url: string } | null>(null);

function begin(): void {
  // The first person is most often who the partner's address belongs to.
  const isFirst = answer.value?.users.length === 0;
  input.value = { name: '', email: isFirst ? props.part.body.email : '' };
  [adding.value, told.value] = [true, null];
}
async function add(): Promise<void> {
  const parsed = partnerUserInput.safeParse(input.value);
  errors.value = Object.fromEntries((parsed.error?.issues ?? []).map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success || busy.value) return;
  busy.value = true;
  try {
    const { user, url } = await ask('addPartnerUser', { id: props.part.id, body: parsed.data });
    told.value = { name: user.name, url };
    adding.value = false;
    await load();
  } catch (error) {
    const { fields = [], message } = error as Error & { fields?: { path: string; message: string }[] };
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { email: message };
  } finally {
    busy.value = false;
  }
}
async function does(act: () => Promise<unknown>): Promise<void> {
  wrong.value = '';
  try {
    await act();
  } catch (error) {
    wrong.value = (error as Error).message;
  }
  await load();
}
const newLink = (user: PartnerUser): Promise<void> =>
  does(async () => {
    const { url } = await ask('linkForPartnerUser', { id: user.id });
    told.value = { name: user.name, url };
  });
function askRemove(user: PartnerUser): void {
  confirm.require({
    header: `Remove ${user.name} from the partner page?`,
    message: `${user.name} can’t sign in for ${props.part.body.name} any more. You can add the person again later.`,
    acceptLabel: 'Remove',
    rejectLabel: 'Cancel',
    accept: () => void does(() => ask('removePartnerUser', { id: user.id })),
  });
}
</script>
<template>
  <StateBlock v-if="failure && !answer" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!answer" state="loading" />
  <div v-else class="people">
    <p class="quiet">
      These people sign in at <code>{{ answer.origin }}</code> and see the offers, links, numbers and
      statements of {{ part.body.name }}, and nothing else.
    </p>
    <ul v-if="answer.users.length > 0" aria-label="People">
      <li v-for="u in answer.users" :key="u.id" class="row spread">
        <span
          ><strong>{{ u.name }}</strong> {{ u.email }}
          <span class="quiet">
            ·
            {{
              !u.hasPassword
                ? 'has not chosen a password'
                : u.lastSignIn
                  ? `signed in ${moment(u.lastSignIn, session.desk.zone)}`
                  : 'has not signed in yet'
            }}</span
          ></span
        >
        <span v-if="session.canEdit" class="row">
          <Button size="small" severity="secondary" :aria-label="`New link for ${u.name}`" @click="newLink(u)"
            >New link</Button
          >
          <Button size="small" severity="secondary" :aria-label="`Remove ${u.name}`" @click="askRemove(u)"
            >Remove</Button
          >
        </span>
      </li>
    </ul>
    <div v-if="told" class="told" role="status">
      <template v-if="told.url">
        <p>
          Give this link to {{ told.name }} to choose a password. It works once, for 7 days. Copy it now; it
          won’t be shown again.
        </p>
        <p class="row">
          <code class="url">{{ told.url }}</code> <CopyButton :text="told.url" label="Copy link" />
        </p>
      </template>
      <p v-else>{{ told.name }} has an account already and signs in with the same password.</p>
    </div>
    <p v-if="wrong" class="error" role="alert">{{ wrong }}</p>
    <form v-if="adding" class="row form" @submit.prevent="add">
      <TextField v-model="input.name" label="Name of the person" :error="errors.name" />
      <TextField v-model="input.email" label="E-mail address of the person" :error="errors.email" />
      <Button type="submit" :disabled="busy">{{ busy ? 'Adding …' : 'Add person' }}</Button>
      <Button severity="secondary" @click="adding = false">Cancel</Button>
    </form>
    <Button v-else-if="session.canEdit" severity="secondary" class="begin" @click="begin"
      >Add a person</Button
    >
  </div>
</template>
<style scoped>
.people {
  display: grid;
  gap: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 5px 0;
  border-bottom: 1px solid var(--hairline);
}
.url {
  overflow-wrap: anywhere;
}
.told {
  background: var(--tint);
  padding: 8px 10px;
  border-radius: 4px;
}
.begin {
  justify-self: start;
}
</style>
