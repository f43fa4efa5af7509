<script setup lang="ts">
/** A feed: whose it is, where its report is, what its rows mean, and when it is fetched. */
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import { feedInput, NOT_CHOSEN, type FeedRecord, type FeedTrial } from '@tracheon/core/contract';
import { fromTemplate, readTemplate, toTemplate } from '@tracheon/core/feeds';
import { shiftDay } from '@tracheon/core/time';
import { computed, ref, shallowRef, watch } from 'vue';
import { ask, type ApiError } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { usePeriod } from '../../shared/period.ts';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import DayField from '../../ui/DayField.vue';
import TextField from '../../ui/TextField.vue';
import { download } from '../../ui/download.ts';
import FileButton from '../../ui/FileButton.vue';
import FormField from '../../ui/FormField.vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import { blankFeed } from './blankFeed.ts';
import FeedCosts from './FeedCosts.vue';
import FeedDays from './FeedDays.vue';
import FeedProvider from './FeedProvider.vue';
import FeedRevenue from './FeedRevenue.vue';
import FeedTrialRows from './FeedTrialRows.vue';

const props = defineProps<{ feed: FeedRecord | null }>();
const emit = defineEmits<{ closed: []; saved: [] }>();
const session = useSession();
const parts = useParts();
const { today } = usePeriod();
const open = ref(true);
const options = (kind: 'network' | 'event-type' | 'source') =>
  parts.of(kind).map((p) => ({ value: p.id, label: p.body.name }));
const networks = computed(() => options('network'));
const sources = computed(() => options('source'));
const eventTypes = computed(() => options('event-type'));
const form = useDraftForm(
  feedInput,
  blankFeed(session.desk.currency, today.value, networks.value.length === 1 ? networks.value[0]!.value : ''),
  `feed.${props.feed?.id ?? 'new'}`,
  props.feed ? { version: 1, body: props.feed.body } : undefined,
);
const { body, error } = form;
const isCost = computed(() => body.gives === 'cost');
const source = computed(() => parts.of('source').find((p) => p.id === body.sourceId)?.body);
const accounts = computed(() => source.value?.accounts ?? []);
const subs = computed(() =>
  [...new Set((source.value?.parameters ?? []).flatMap((p) => (p.role === 'sub' ? [p.sub] : [])))].map(
    (sub) => ({ value: sub, label: sub }),
  ),
);
// Entries are in what the source bills in, and in its days.
watch(
  () => body.sourceId,
  () => {
    if (!isCost.value || !source.value) return;
    body.currency = source.value.costCurrency;
    if (source.value.zone) body.zone = source.value.zone;
  },
);
const secret = ref('');
const secretError = ref('');

const trial = shallowRef<FeedTrial | null>(null);
const isTrying = ref(false);
const failure = ref('');
const day = ref(shiftDay(today.value, -1));
const sent = () => ({ ...feedInput.parse(body), secret: secret.value });
function told(error: unknown): void {
  const { fields = [], message } = error as ApiError;
  secretError.value = fields.find((f) => f.path === 'secret')?.message ?? '';
  failure.value = secretError.value === '' ? (fields[0]?.message ?? message) : '';
}
/** Which field is which may be found out from what comes. */
function forTrial() {
  const some = { ...body, name: body.name || 'Trial', isOn: false, secret: secret.value };
  if (isCost.value)
    return {
      ...some,
      sourceId: body.sourceId || (sources.value[0]?.value ?? ''),
      amountAt: body.amountAt || NOT_CHOSEN,
      subs: body.subs.filter((s) => s.name !== '' && s.at !== ''),
    };
  const counters = body.counters.filter((c) => c.amountAt !== '' && c.eventTypeId !== '');
  return {
    ...some,
    networkId: body.networkId || (networks.value[0]?.value ?? ''),
    slotAt: body.slotAt || NOT_CHOSEN,
    counters:
      counters.length > 0
        ? counters
        : [{ amountAt: NOT_CHOSEN, eventTypeId: eventTypes.value[0]?.value ?? '' }],
  };
}
async function tryIt(): Promise<void> {
  if (isTrying.value || body.url === '') return;
  [isTrying.value, failure.value, secretError.value, trial.value] = [true, '', '', null];
  try {
    trial.value = await ask('tryFeed', {
      body: { feedId: props.feed?.id ?? '', day: day.value, feed: forTrial() },
    });
  } catch (e) {
    told(e);
  } finally {
    isTrying.value = false;
  }
}
function use(place: string, as: 'slot' | 'amount' | 'campaign' | 'sub'): void {
  if (as === 'slot') body.slotAt = place;
  else if (as === 'campaign') body.campaignAt = place;
  else if (as === 'sub') body.subs.push({ name: '', at: place });
  else if (isCost.value) body.amountAt = place;
  else {
    const free = body.counters.find((c) => c.amountAt === '');
    if (free) free.amountAt = place;
    else body.counters.push({ amountAt: place, eventTypeId: '' });
  }
}

const templateSaid = ref('');
async function loadTemplate(file: File): Promise<void> {
  const read = readTemplate(await file.text());
  if (typeof read === 'string') return void (templateSaid.value = read);
  const byWord = (word: string): string =>
    parts.of('event-type').find((p) => word !== '' && p.body.word === word)?.id ?? '';
  Object.assign(body, fromTemplate(read, byWord));
  templateSaid.value = `Tracheon filled in “${read.name}”. Choose ${isCost.value ? 'the source' : 'the network'}, and enter your key.`;
}
function saveTemplate(): void {
  const wordOf = (id: string): string => parts.of('event-type').find((p) => p.id === id)?.body.word ?? '';
  const template = toTemplate(feedInput.parse(body), wordOf);
  download(`${body.name}.feed.json`, 'application/json', `${JSON.stringify(template, null, 2)}\n`);
}

async function save(): Promise<void> {
  secretError.value = '';
  const isSaved = await form.save(async () => {
    try {
      await (props.feed
        ? ask('changeFeed', { id: props.feed.id, body: sent() })
        : ask('addFeed', { body: sent() }));
    } catch (e) {
      told(e);
      throw e;
    }
  });
  if (!isSaved) return;
  emit('saved');
  close(false);
}
function close(isOpen: boolean): void {
  open.value = isOpen;
  if (!isOpen) emit('closed');
}
</script>
<template>
  <DraftSheet
    :open="open"
    :title="feed ? feed.body.name : 'Add feed'"
    :says="
      isCost
        ? 'Tracheon fetches what the source billed for each day and spreads it over the visits.'
        : 'Tracheon fetches the report of each day and books its revenue by click ID.'
    "
    :form="form"
    action="Save feed"
    :read-only="!session.canEdit"
    :save="save"
    @update:open="close"
  >
    <div class="row">
      <FileButton v-if="!feed" label="Load template" accept=".json,application/json" @pick="loadTemplate" />
      <Button v-else severity="secondary" @click="saveTemplate">Download template</Button>
    </div>
    <p v-if="templateSaid" role="status">{{ templateSaid }}</p>
    <div class="two">
      <FormField v-slot="{ id, invalid }" label="What it tells" :error="error('gives')">
        <PickOne
          :id="id"
          v-model="body.gives"
          :disabled="feed !== null"
          :options="[
            { value: 'revenue', label: 'revenue of a network' },
            { value: 'cost', label: 'cost of a source' },
          ]"
          :invalid="invalid"
        />
      </FormField>
      <TextField v-model="body.name" label="Name" :error="error('name')" />
      <FormField v-if="!isCost" v-slot="{ id, invalid }" label="Network" :error="error('networkId')">
        <PickOne
          :id="id"
          v-model="body.networkId"
          :options="networks"
          placeholder="Choose the network"
          :invalid="invalid"
        />
      </FormField>
      <FormField v-else v-slot="{ id, invalid }" label="Source" :error="error('sourceId')">
        <PickOne
          :id="id"
          v-model="body.sourceId"
          :options="sources"
          placeholder="Choose the source"
          :invalid="invalid"
        />
      </FormField>
      <FormField
        v-if="isCost && accounts.length"
        v-slot="{ id, invalid }"
        label="Account"
        :error="error('accountId')"
      >
        <PickOne
          :id="id"
          v-model="body.accountId"
          :options="[
            { value: '', label: 'all accounts' },
            ...accounts.map((a) => ({ value: a.name, label: a.name })),
          ]"
          :invalid="invalid"
        />
      </FormField>
    </div>
    <FeedProvider
      v-model="form.body"
      v-model:secret="secret"
      :has-secret="feed?.hasSecret === true"
      :secret-error="secretError"
      :error="error"
    />
    <!-- Enter tries the day; it does not save. -->
    <div class="row try" @keydown.enter.prevent="tryIt">
      <FormField v-slot="{ id }" label="Day to try">
        <DayField :id="id" v-model="day" />
      </FormField>
      <Button severity="secondary" :disabled="isTrying || body.url === ''" @click="tryIt">{{
        isTrying ? 'Fetching …' : 'Show rows of this day'
      }}</Button>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <FeedTrialRows v-if="trial" :trial="trial" :currency="body.currency" :gives="body.gives" @use="use" />
    <FeedCosts v-if="isCost" v-model="form.body" :subs="subs" :error="error" />
    <FeedRevenue v-else v-model="form.body" :event-types="eventTypes" :error="error" />
    <FeedDays v-model="form.body" :error="error" />
    <div class="two">
      <FormField v-slot="{ id, invalid }" label="Fetch every (minutes)" :error="error('everyMinutes')">
        <NumberField :id="id" v-model="body.everyMinutes" min="5" max="1440" :invalid="invalid" />
      </FormField>
      <FormField
        v-slot="{ id, invalid }"
        label="From day"
        hint="Tracheon does not fetch earlier days automatically."
        :error="error('fromDay')"
      >
        <DayField :id="id" v-model="body.fromDay" :invalid="invalid" />
      </FormField>
    </div>
    <div class="row on">
      <ToggleSwitch v-model="body.isOn" input-id="feed-is-on" />
      <label for="feed-is-on">Fetch automatically</label>
    </div>
  </DraftSheet>
</template>
<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
.try {
  align-items: end;
}
.try button {
  margin-bottom: 21px;
}
.on label {
  font-weight: 600;
}
</style>
