<script setup lang="ts">
/** A watch, written as one sentence with open words; beside it what it would find now. */
import Button from 'primevue/button';
import ToggleSwitch from 'primevue/toggleswitch';
import {
  actFits,
  watchActs,
  watchInput,
  type WatchAct,
  type WatchRecord,
  type WatchTrial,
} from '@tracheon/core/contract';
import { actWords, seenWords, watchSentence } from '@tracheon/core/watches';
import { computed, ref, shallowRef } from 'vue';
import { ask, type ApiError } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import DraftSheet from '../../shared/DraftSheet.vue';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import FoldBlock from '../../ui/FoldBlock.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import TextField from '../../ui/TextField.vue';
import DryRunPanel from './DryRunPanel.vue';
import { useDelivery } from './useDelivery.ts';
import { useWatchNames } from './useWatchNames.ts';
import WatchConditions from './WatchConditions.vue';
import WatchRequestFields from './WatchRequestFields.vue';
import WatchTelling from './WatchTelling.vue';
import { blankWatch, figureChoices, subjectChoices } from './watchWords.ts';

const props = defineProps<{ watch: WatchRecord | null }>();
const emit = defineEmits<{ closed: []; saved: [] }>();
const session = useSession();
const parts = useParts();
const names = useWatchNames();
const { ownFigures } = useDelivery();
const open = ref(true);
const form = useDraftForm(
  watchInput,
  blankWatch(),
  `watch.${props.watch?.id ?? 'new'}`,
  props.watch ?? undefined,
);
const { body, error } = form;
const named = (kind: 'source' | 'campaign', all: string) => [
  { value: '', label: all },
  ...parts.of(kind).map((p) => ({ value: p.id, label: p.body.name })),
];
const sources = computed(() => named('source', 'all sources'));
const campaigns = computed(() => named('campaign', 'all campaigns'));
const subjects = computed(() => subjectChoices(parts.of('source'), body.sourceId));
const figures = computed(() =>
  figureChoices(
    parts.of('event-type').map((p) => ({ id: p.id, name: p.body.name })),
    ownFigures.value,
  ),
);
const acts = computed(() =>
  watchActs.map((act) => ({
    value: act,
    label: actWords[act],
    disabled: !actFits(act, body.subject) || (needsSource(act) && body.sourceId === ''),
  })),
);
const needsSource = (act: WatchAct): boolean => ['block', 'allow', 'request'].includes(act);
const asks = computed({
  get: () => (body.asks ? 'first' : 'never'),
  set: (when: string | undefined) => (body.asks = when === 'first'),
});
const read = computed(() => watchInput.safeParse({ ...body, name: body.name || 'Trial' }));
const sentence = computed(() => (read.value.success ? watchSentence(read.value.data, names) : ''));

/** In a place of its own: what moves while it is clicked is missed. */
const timeError = computed(() =>
  ['windowHours', 'skipHours', 'everyMinutes', 'act', 'weightTo'].map((path) => error(path)).find(Boolean),
);

const trial = shallowRef<WatchTrial | null>(null);
const failure = ref('');
const isTrying = ref(false);
async function tryIt(): Promise<void> {
  if (isTrying.value) return;
  [isTrying.value, failure.value, trial.value] = [true, '', null];
  try {
    trial.value = await ask('tryWatch', { body: { ...body, name: body.name || 'Trial' } });
  } catch (e) {
    const { fields = [], message } = e as ApiError;
    failure.value = fields[0]?.message ?? message;
  } finally {
    isTrying.value = false;
  }
}
async function save(): Promise<void> {
  const isSaved = await form.save((sent, version) =>
    props.watch
      ? ask('changeWatch', { id: props.watch.id, body: { version, body: sent } })
      : ask('addWatch', { body: sent }),
  );
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
    :title="watch ? watch.body.name : 'Add watch'"
    says="Tracheon looks at the figures again and again, finds each value once, and acts or asks you."
    :form="form"
    action="Save watch"
    :read-only="!session.canEdit"
    :save="save"
    @update:open="close"
  >
    <TextField v-model="body.name" label="Name" :error="error('name')" placeholder="Sites that lose" />
    <div class="sentence">
      <span>For every</span>
      <PickOne v-model="body.subject" :options="subjects" aria-label="What to watch" />
      <span>of</span>
      <PickOne
        v-model="body.sourceId"
        :options="sources"
        aria-label="Source"
        :invalid="!!error('sourceId')"
      />
      <span>in</span>
      <PickOne v-model="body.campaignId" :options="campaigns" aria-label="Campaign" />
      <span>, when</span>
    </div>
    <p class="error place">{{ error('subject') ?? error('sourceId') ?? error('campaignId') }}</p>
    <WatchConditions
      v-model="form.body"
      :figures="figures"
      :currency="session.desk.currency"
      path="conditions"
      label="Condition"
      :error="error"
    />
    <div class="sentence">
      <span>over the last</span>
      <NumberField v-model="body.windowHours" class="short" min="1" max="720" aria-label="Hours to look at" />
      <span>hours without the newest</span>
      <NumberField
        v-model="body.skipHours"
        class="short"
        min="0"
        max="720"
        aria-label="Newest hours to leave out"
      />
      <span>, checked every</span>
      <NumberField
        v-model="body.everyMinutes"
        class="short"
        min="5"
        max="1440"
        aria-label="Minutes between checks"
      />
      <span>minutes, then</span>
      <PickOne v-model="body.act" :options="acts" aria-label="What to do" />
      <template v-if="body.act === 'weight'">
        <span>to</span>
        <NumberField v-model="body.weightTo" class="short" min="0" max="10000" aria-label="New weight" />
      </template>
      <PickOne
        v-if="body.act !== 'notify'"
        v-model="asks"
        :options="[
          { value: 'first', label: 'but ask first' },
          { value: 'never', label: 'at once' },
        ]"
        aria-label="Ask first"
      />
    </div>
    <p class="error place">{{ timeError }}</p>
    <WatchRequestFields v-if="body.act === 'request'" v-model="body.request" :error="error" />
    <WatchTelling v-model="form.body" :error="error" />
    <p v-if="sentence" class="quiet" aria-label="The watch in words">{{ sentence }}</p>
    <div class="row">
      <Button severity="secondary" :disabled="isTrying || !read.success" @click="tryIt">{{
        isTrying ? 'Looking …' : 'Show what it finds now'
      }}</Button>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <section v-if="trial" aria-label="What it finds now" class="found">
      <p>
        {{ trial.matched === 0 ? 'Nothing' : count(trial.matched) }} of {{ count(trial.rows) }} would be found
        now.
      </p>
      <ul v-if="trial.found.length">
        <li v-for="f in trial.found.slice(0, 10)" :key="f.value">
          <strong>{{ f.name }}</strong>: {{ f.seen.map((s) => seenWords(s, names)).join(', ') }}
        </li>
      </ul>
      <p v-if="trial.matched > 10" class="quiet">And {{ count(trial.matched - 10) }} more.</p>
    </section>
    <DryRunPanel :watch="form.body" :disabled="!read.success" />
    <div class="row">
      <ToggleSwitch v-model="body.isGuarded" input-id="watch-is-guarded" />
      <label for="watch-is-guarded"
        >Find nothing before one payout is spent, and leave out visits that are too young to have
        converted</label
      >
    </div>
    <FoldBlock title="Limits">
      <div class="two">
        <FormField
          v-slot="{ id, invalid }"
          label="Acts per day, at most"
          hint="The costliest come first."
          :error="error('actsPerDay')"
        >
          <NumberField :id="id" v-model="body.actsPerDay" min="1" max="1000" :invalid="invalid" />
        </FormField>
        <FormField
          v-slot="{ id, invalid }"
          label="Rest in hours"
          hint="Tracheon acts on the same value again only after this time."
          :error="error('restHours')"
        >
          <NumberField :id="id" v-model="body.restHours" min="0" max="720" :invalid="invalid" />
        </FormField>
        <FormField
          v-slot="{ id, invalid }"
          label="Quiet from (hour)"
          hint="Tracheon puts acts off until the quiet hours end. The same hour twice means none."
          :error="error('quietFrom')"
        >
          <NumberField :id="id" v-model="body.quietFrom" min="0" max="23" :invalid="invalid" />
        </FormField>
        <FormField v-slot="{ id, invalid }" label="Quiet to (hour)" :error="error('quietTo')">
          <NumberField :id="id" v-model="body.quietTo" min="0" max="23" :invalid="invalid" />
        </FormField>
      </div>
    </FoldBlock>
    <div class="row on">
      <ToggleSwitch v-model="body.isOn" input-id="watch-is-on" />
      <label for="watch-is-on">Check automatically</label>
    </div>
  </DraftSheet>
</template>
<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.sentence :deep(.p-select) {
  width: auto;
  max-width: 260px;
}
.short {
  width: 70px;
}
.short :deep(input) {
  width: 100%;
}
.found ul {
  margin: 4px 0 0;
  padding-left: 18px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(240px, 100%), 1fr));
  gap: 2px 14px;
}
.on label {
  font-weight: 600;
}
.place {
  min-height: 18px;
  margin: 0;
  font-size: 12px;
}
</style>
