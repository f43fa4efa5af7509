<script setup lang="ts">
/**
 * Visit, button, conversion, source told: each turns on by itself when it has been seen, and says what to look at while
 * it stays off. Tests go by the real endpoints.
 */
import Button from 'primevue/button';
import FoldBlock from '../../ui/FoldBlock.vue';
import Checkbox from 'primevue/checkbox';
import PickOne from '../../ui/PickOne.vue';
import InputText from 'primevue/inputtext';
import type { TestConversion, TestConversionAnswer, TestVisitAnswer } from '@tracheon/core/contract';
import { statuses } from '@tracheon/core/contract';
import type { CheckStep } from '@tracheon/core/trail';
import { computed, reactive, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import AmountInput from '../../ui/AmountInput.vue';
import { allCountries } from '../../ui/countries.ts';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import VisitSheet from '../VisitSheet.vue';
import { sendTest, type TestVisitor } from './sendTest.ts';
import type { ShownCampaign } from './useCampaignLive.ts';

const props = defineProps<{ shown: ShownCampaign; country?: string }>();
const parts = useParts();
const session = useSession();
const visitor = reactive<TestVisitor>({ country: props.country ?? '', device: 'phone', values: {} });
const conversion = reactive<Required<TestConversion>>({
  eventTypeId: '',
  status: 'approved',
  payoutMicros: '',
  transaction: '',
  reportToSource: false,
});
const busy = ref('');
const said = ref('');
const failure = ref('');
const more = ref(false);
/** The test visit that the next click and the next conversion are about. */
const testId = ref('');
const about = computed(() => {
  const last = props.shown.live.value?.lastVisit;
  return testId.value || (last?.isTest ? last.clickId : '');
});
const opened = ref('');
const sheetOpen = ref(false);
const steps = computed(() => props.shown.steps.value);
const page = computed(() => props.shown.page.value);
const isLive = computed(() => props.shown.campaign.value?.state === 'live');
const marks: Record<CheckStep['state'], string> = {
  off: 'not yet',
  near: 'not yet, next',
  on: 'seen',
  trouble: 'something is wrong',
};

/** One at a time: a second click while the first is under way sends nothing. */
async function run(what: string, work: () => Promise<string>): Promise<void> {
  if (busy.value !== '') return;
  busy.value = what;
  failure.value = said.value = '';
  try {
    said.value = await work();
    await props.shown.load();
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = '';
  }
}
const id = (): string => props.shown.campaign.value?.id ?? '';
const sendVisit = (): Promise<void> =>
  run('visit', async () => {
    const sent: TestVisitAnswer = await sendTest.visit(id(), visitor);
    testId.value = sent.clickId;
    return `Test visit sent. Tracheon redirected it to ${sent.location}`;
  });
const press = (n: number): Promise<void> =>
  run('click', async () => {
    const { location } = await sendTest.click(about.value, n);
    return `Button ${n} clicked. Tracheon redirected it to ${location}`;
  });
const fire = (): Promise<void> =>
  run('conversion', async () => {
    const fired: TestConversionAnswer = await sendTest.conversion(about.value, conversion);
    return `Postback sent to ${fired.url}. Response: ${fired.status} ${fired.answer}`;
  });
const copyLink = (): Promise<void> =>
  run('link', async () => {
    const { url } = await ask('testLink', { id: id(), body: visitor });
    await navigator.clipboard.writeText(url);
    return 'Test link copied. It works for one hour: open it on your phone or in a private window.';
  });
/** The newest that was seen: its raw request is a key away. */
function openNewest(): void {
  const newest = steps.value.findLast((s) => s.clickId !== '');
  if (newest) openTrail(newest.clickId);
}
useKeys([
  { key: 'r', words: 'Latest raw request', run: openNewest },
  { key: 'v', words: 'Send test visit', run: () => session.canEdit && isLive.value && void sendVisit() },
]);
function openTrail(clickId: string): void {
  opened.value = clickId;
  sheetOpen.value = true;
}
</script>
<template>
  <section class="checklist" aria-label="Live checklist">
    <div class="row spread">
      <h2>Live checklist</h2>
      <Button variant="link" class="small" @click="openNewest">Latest raw request <kbd>R</kbd></Button>
    </div>
    <StateBlock
      v-if="shown.failure.value && steps.length === 0"
      state="failed"
      :words="shown.failure.value"
      @again="shown.load"
    />
    <StateBlock v-else-if="steps.length === 0" state="loading" />
    <ol v-else aria-live="polite">
      <li v-for="s in steps" :key="s.key" :class="s.state">
        <span class="mark" aria-hidden="true" />
        <div>
          <p class="what">
            <span
              >{{ s.words }}<span class="visually-hidden">: {{ marks[s.state] }}</span>
              <span v-if="s.isTest" class="test">test</span></span
            >
            <span v-if="s.at" class="quiet when">{{ moment(s.at, session.desk.zone) }}</span>
          </p>
          <p
            v-if="s.says"
            class="small"
            :class="{ quiet: s.state !== 'trouble', error: s.state === 'trouble' }"
          >
            {{ s.says }}
          </p>
          <Button variant="link" class="small" v-if="s.clickId" @click="openTrail(s.clickId)">
            ID trail and raw request
          </Button>
          <FoldBlock title="Raw request" v-else-if="s.raw" class="raw">
            <code>{{ s.raw }}</code>
          </FoldBlock>
        </div>
      </li>
    </ol>
    <div v-if="session.canEdit" class="tests">
      <div class="acts">
        <Button severity="secondary" :disabled="busy !== '' || !isLive" @click="sendVisit">
          Send test visit <kbd>V</kbd>
        </Button>
        <template v-if="page">
          <Button
            severity="secondary"
            v-for="n in page.body.buttons"
            :key="n"
            :disabled="busy !== '' || about === ''"
            @click="press(n)"
          >
            Click button {{ n }}
          </Button>
        </template>
        <Button severity="secondary" :disabled="busy !== '' || about === ''" @click="fire">
          Send test conversion
        </Button>
      </div>
      <label class="row tell"
        ><Checkbox v-model="conversion.reportToSource" binary /> Also send the postback to the source</label
      >
      <p v-if="busy" class="quiet small" role="status">Sending …</p>
      <p v-if="said" class="small said" role="status">{{ said }}</p>
      <p v-if="failure" class="error small" role="alert">{{ failure }}</p>
      <Button variant="link" class="small" :aria-expanded="more" @click="more = !more">
        {{ more ? 'Hide settings' : 'Visitor and payout settings' }}
      </Button>
      <div v-if="more" class="settings">
        <label
          >Country
          <PickOne
            v-model="visitor.country"
            :options="[
              { value: '', label: 'detect from my address' },
              ...allCountries.map((c) => ({ value: c.code, label: c.name })),
            ]"
        /></label>
        <label
          >Device
          <PickOne
            v-model="visitor.device"
            :options="[
              { value: 'phone', label: 'Android phone' },
              { value: 'iphone', label: 'iPhone' },
              { value: 'tablet', label: 'tablet' },
              { value: 'desktop', label: 'desktop' },
            ]"
        /></label>
        <label v-for="p in shown.source.value?.body.parameters ?? []" :key="p.parameter"
          ><code>{{ p.parameter }}</code>
          <InputText
            :model-value="visitor.values?.[p.parameter] ?? ''"
            placeholder="sample value"
            class="mono-input"
            @update:model-value="(visitor.values ??= {})[p.parameter] = $event ?? ''"
        /></label>
        <label
          >Event type
          <PickOne
            v-model="conversion.eventTypeId"
            :options="[
              { value: '', label: 'not specified' },
              ...parts.of('event-type').map((e) => ({ value: e.id, label: e.body.name })),
            ]"
        /></label>
        <label
          >Status
          <PickOne
            v-model="conversion.status"
            :options="[
              { value: '', label: 'not specified' },
              ...statuses.map((s) => ({ value: s, label: s })),
            ]"
        /></label>
        <label>Payout <AmountInput v-model="conversion.payoutMicros" /></label>
        <label>Transaction <InputText v-model="conversion.transaction" /></label>
        <Button variant="link" class="small" @click="copyLink">Copy test link for your phone</Button>
      </div>
    </div>
    <VisitSheet v-if="opened" v-model:open="sheetOpen" :click-id="opened" />
  </section>
</template>
<style scoped>
.checklist {
  display: grid;
  gap: 8px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 8px;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.mark {
  width: 12px;
  height: 12px;
  margin-top: 4px;
  border-radius: 50%;
  border: 1.5px solid var(--border);
}
.near .mark {
  border-color: var(--ink);
  background: conic-gradient(var(--ink) 25%, transparent 0);
}
.on .mark {
  border-color: var(--ink);
  background: var(--ink);
}
.trouble .mark {
  border-color: var(--error);
  border-radius: 0;
  transform: rotate(45deg);
}
.off .what {
  color: var(--quiet);
}
.what {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.when {
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.test {
  border: 1px solid var(--border);
  border-radius: 3px;
  font-size: 11px;
  padding: 0 4px;
  margin-left: 4px;
}
.small {
  font-size: 12px;
  overflow-wrap: anywhere;
}
button.bare.small {
  min-height: 24px;
  padding-left: 0;
}
.tests {
  display: grid;
  gap: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.said {
  background: var(--tint);
  border-radius: 4px;
  padding: 4px 8px;
}
.settings {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 6px 10px;
}
.settings label {
  display: grid;
  gap: 2px;
  font-size: 12px;
}
.raw {
  border: 0;
  padding: 0;
  font-size: 12px;
}
.raw code {
  overflow-wrap: anywhere;
}
@media (max-width: 640px) {
  /* For a thumb. */
  .acts button {
    flex: 1 1 100%;
    min-height: 48px;
    justify-content: center;
  }
  .tell {
    min-height: 44px;
  }
  button.bare.small {
    min-height: 44px;
  }
}
</style>
