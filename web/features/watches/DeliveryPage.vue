<script setup lang="ts">
/** Where notices go, and what became of each e-mail, webhook call and request. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import ToggleSwitch from 'primevue/toggleswitch';
import type { NoticeSend } from '@tracheon/core/contract';
import { onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { hasBrowserNotices, noBrowserNotices, setBrowserNotices } from '../../app/browserNotices.ts';
import { newest } from '../../base/newest.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import CopyButton from '../../ui/CopyButton.vue';
import { moment } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import PageHead from '../../ui/PageHead.vue';
import StateBlock from '../../ui/StateBlock.vue';
import DeliverySheet from './DeliverySheet.vue';
import { showNotices } from './showNotices.ts';
import { useDelivery } from './useDelivery.ts';
import WatchesNav from './WatchesNav.vue';

const session = useSession();
const {
  members,
  settings,
  state: settingsState,
  failure: settingsFailure,
  load: loadSettings,
} = useDelivery();
const sends = shallowRef<NoticeSend[]>([]);
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const search = ref('');
const said = ref('');
const isEditing = ref(false);
const busy = ref(false);
const asks = newest();
const load = (): Promise<void> =>
  asks(
    ask('listSends'),
    ({ rows }) => {
      [sends.value, state.value] = [rows, 'ready'];
    },
    (why) => {
      [failure.value, state.value] = [why, 'failed'];
    },
  );
onMounted(load);
onNews(['watches'], load);

async function test(kind: 'mail' | 'webhook'): Promise<void> {
  if (busy.value) return;
  [busy.value, said.value] = [true, ''];
  try {
    await ask('testNotice', { body: { kind } });
    said.value = 'Tracheon is sending the test. The list below shows what becomes of it.';
  } catch (error) {
    said.value = (error as Error).message;
  } finally {
    busy.value = false;
    await load();
  }
}

const noNotices = ref(noBrowserNotices());
const isOn = ref(hasBrowserNotices());
async function turn(on: boolean): Promise<void> {
  isOn.value = await setBrowserNotices(on);
  noNotices.value = noBrowserNotices();
  // From here on: what is there already is not shown.
  if (isOn.value) await showNotices(session).catch((error: Error) => (said.value = error.message));
}

const kindWords: Record<NoticeSend['kind'], string> = {
  mail: 'e-mail',
  webhook: 'webhook',
  request: 'request to a source',
};
const stateWords: Record<NoticeSend['state'], string> = {
  waiting: 'waits',
  sending: 'is being sent',
  accepted: 'taken by the mail server',
  delivered: 'delivered',
  unknown: 'not known',
  gave_up: 'given up',
};
const names = (ids: readonly string[]): string =>
  ids.map((id) => members.value.find((m) => m.id === id)?.name ?? 'a removed member').join(', ') || 'nobody';
</script>
<template>
  <PageHead
    title="Delivery"
    says="How notices reach you when Tracheon is not on your screen, and what became of each one that was sent."
  >
    <Button v-if="session.canEdit && settings" @click="isEditing = true">Change delivery</Button>
  </PageHead>
  <WatchesNav class="bar" />
  <StateBlock
    v-if="settingsState !== 'ready'"
    :state="settingsState"
    :words="settingsFailure"
    @again="loadSettings"
  />
  <section v-else-if="settings" class="sheet ways" aria-label="Where notices go">
    <dl>
      <dt>E-mail</dt>
      <dd>
        <span v-if="!settings.canMail"
          >Off: this server has no mail server. Its operator sets <code>TRACHEON_SMTP_URL</code>.</span
        >
        <template v-else>
          <span>On. Signal watches write to {{ names(settings.mailTo) }}.</span>
          <Button v-if="session.canEdit" variant="link" :disabled="busy" @click="test('mail')"
            >Send a test e-mail to me</Button
          >
        </template>
      </dd>
      <dt>Webhook</dt>
      <dd>
        <span v-if="settings.webhookUrl === ''">None.</span>
        <template v-else>
          <code class="url">{{ settings.webhookUrl }}</code>
          <span>{{ settings.webhook ? 'Also for signal watches.' : 'Not for signal watches.' }}</span>
          <CopyButton
            v-if="settings.webhookSecret"
            :text="settings.webhookSecret"
            label="Copy signing secret"
          />
          <Button v-if="session.canEdit" variant="link" :disabled="busy" @click="test('webhook')"
            >Call it as a test</Button
          >
        </template>
      </dd>
      <dt>This browser</dt>
      <dd>
        <ToggleSwitch
          :model-value="isOn"
          input-id="browser-notices"
          :disabled="noNotices !== ''"
          @update:model-value="turn"
        />
        <label for="browser-notices">Show notifications while a tab of Tracheon is open</label>
        <small v-if="noNotices" class="quiet">{{ noNotices }}</small>
      </dd>
    </dl>
    <p v-if="said" role="status">{{ said }}</p>
  </section>
  <div v-if="sends.length" class="row bar top">
    <InputText
      v-model="search"
      class="search"
      placeholder="Search what was sent"
      aria-label="Search what was sent"
    />
  </div>
  <section class="sheet top" aria-label="Sent">
    <ListTable
      :rows="sends"
      :state="state"
      :failure="failure"
      label="Sent"
      name="notice-sends"
      :search="search"
      :text="(s) => `${s.title} ${s.to} ${kindWords[s.kind]} ${stateWords[s.state]} ${s.result}`"
      :columns="[
        { key: 'title', label: 'Notice', sort: (s) => s.title.toLowerCase() },
        { key: 'kind', label: 'Way', sort: (s) => s.kind },
        { key: 'to', label: 'To', sort: (s) => s.to },
        { key: 'at', label: 'Written', sort: (s) => s.at },
        { key: 'state', label: 'Sent', sort: (s) => s.state },
      ]"
      @again="load"
    >
      <template #empty
        ><StateBlock
          state="empty"
          title="Nothing sent yet"
          words="E-mails, webhook calls and requests to sources appear here."
      /></template>
      <template #title="{ row }">{{ row.title }}</template>
      <template #kind="{ row }">{{ kindWords[row.kind] }}</template>
      <template #to="{ row }"><span class="url">{{ row.to }}</span></template>
      <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
      <template #state="{ row }"
        ><span>{{ stateWords[row.state] }}</span
        ><span v-if="row.nextTryAt && row.tries > 0" class="quiet"
          >, tried {{ row.tries }} times, again {{ moment(row.nextTryAt, session.desk.zone) }}</span
        ><small v-if="row.result" class="quiet why">{{ row.result }}</small></template
      >
    </ListTable>
  </section>
  <DeliverySheet
    v-if="isEditing && settings"
    :settings="settings"
    @closed="isEditing = false"
    @saved="loadSettings"
  />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.top {
  margin-top: 14px;
}
.search {
  width: 220px;
}
.ways {
  padding: 4px 14px 8px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 8px 18px;
  margin: 8px 0;
}
dt {
  font-weight: 600;
}
dd {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
  margin: 0;
}
.url {
  overflow-wrap: anywhere;
}
.why {
  display: block;
  white-space: normal;
}
</style>
