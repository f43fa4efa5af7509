<script setup lang="ts">
/** One visit: everything that is known of it, down to the raw query that it came with. */
import type { VisitFate } from '@tracheon/core/visits';
import Button from 'primevue/button';
import type { VisitTrail, WholeVisit } from '@tracheon/core/contract';
import { travelledTrail } from '@tracheon/core/trail';
import { useConfirm } from 'primevue/useconfirm';
import { computed, ref, watch } from 'vue';
import { ask } from '../app/api.ts';
import { newest } from '../base/newest.ts';
import { useSession } from '../app/session.ts';
import { countryName, money, moment } from '../ui/format.ts';
import SideSheet from '../ui/SideSheet.vue';
import StateBlock from '../ui/StateBlock.vue';
import IdTrail from './trail/IdTrail.vue';
import { botReasons, fateWords, visitMarks, visitNote } from './visitWords.ts';

const props = defineProps<{ clickId: string }>();
const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const trail = ref<VisitTrail | null>(null);
const visit = computed<WholeVisit | null>(() => trail.value?.visit ?? null);
const hops = computed(() =>
  trail.value
    ? travelledTrail(trail.value, {
        origin: session.me?.trackingOrigin ?? '',
        ownOrigins: session.me?.trackingOrigins ?? [],
        deskCurrency: session.desk.currency,
      })
    : [],
);
const failure = ref('');
const confirm = useConfirm();

const asks = newest();
async function load(): Promise<void> {
  trail.value = null;
  failure.value = '';
  await asks(
    ask('visitTrail', { id: props.clickId }),
    (answer) => (trail.value = answer),
    (why) => (failure.value = why),
  );
}
function askErase(): void {
  confirm.require({
    header: 'Erase personal data of this visit?',
    message:
      'Tracheon deletes the address, user agent, referrer, query, sub-IDs and source click ID, and the text of related postbacks. Cost and conversions stay in the figures. Pending postbacks to the source are cancelled. You can’t undo this.',
    acceptLabel: 'Erase',
    rejectLabel: 'Cancel',
    accept: () => void erase(),
  });
}
async function erase(): Promise<void> {
  try {
    await ask('eraseVisit', { id: props.clickId });
    await load();
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
watch(() => props.clickId, load, { immediate: true });
const matchWords = {
  link: 'matched by the link',
  cookie: 'matched by the cookie',
  signed: 'matched by the signed link',
};
const dimensionWords = ({ name: dimension, value }: { name: string; value: string }): string =>
  dimension === 'country'
    ? countryName(value)
    : dimension === 'fate'
      ? fateWords[value as VisitFate] || 'sent to the offer'
      : dimension === 'bot_reason'
        ? (botReasons[value] ?? value)
        : value;
</script>
<template>
  <SideSheet v-model:open="open" title="One visit">
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!visit" state="loading" />
    <div v-else class="stack">
      <section aria-label="ID trail">
        <h2>ID trail</h2>
        <IdTrail :hops="hops" upright />
      </section>
      <h2>Details</h2>
      <dl>
        <dt>Click ID</dt>
        <dd>
          <code>{{ visit.id }}</code>
        </dd>
        <dt>Came</dt>
        <dd>{{ moment(visit.at, session.desk.zone) }} ({{ session.desk.zone }})</dd>
        <template v-if="visit.landingId">
          <dt>Buttons</dt>
          <dd v-if="visit.buttonClicks.length === 0">no click yet</dd>
          <dd v-else>
            <div v-for="(c, i) in visit.buttonClicks" :key="i">
              {{ moment(c.at, session.desk.zone) }} · {{ c.n > 0 ? `button ${c.n}` : `“${c.told}”`
              }}{{ c.told ? ', not a button of the page' : '' }}, to {{ c.offerName || 'a fallback address' }}
              <span class="quiet">({{ matchWords[c.match] }})</span>
            </div>
          </dd>
        </template>
        <dt>Marks</dt>
        <dd>{{ visitMarks(visit) }}{{ visit.guessed ? ', by address and user agent' : ', by cookie' }}</dd>
        <dt>Cost</dt>
        <dd>
          {{ visit.costMicros === null ? 'unknown' : `${money(visit.costMicros, 6)} ${visit.costCurrency}` }}
        </dd>
        <dt>Source click ID</dt>
        <dd>
          <code>{{ visit.sourceClickId || 'none' }}</code>
        </dd>
        <template v-for="(value, sub) in visit.subs" :key="sub">
          <dt>{{ sub }}</dt>
          <dd>
            <code>{{ value }}</code>
          </dd>
        </template>
        <dt>Address</dt>
        <dd>{{ visit.addressPrefix || 'none' }}</dd>
        <template v-for="d in visit.dimensions" :key="d.name">
          <dt>{{ d.label }}</dt>
          <dd>{{ dimensionWords(d) }}</dd>
        </template>
        <dt>Raw query</dt>
        <dd>
          <code>{{ visit.rawQuery || '(empty)' }}</code>
        </dd>
      </dl>
      <ul v-if="visit.notes.length" aria-label="Notes">
        <li v-for="n in visit.notes" :key="n">{{ visitNote(n) }}</li>
      </ul>
      <p>
        <RouterLink :to="`/conversions/postbacks-in?search=${visit.id}`"
          >Postbacks in for this visit</RouterLink
        >
        ·
        <RouterLink :to="`/conversions/all?search=${visit.id}`">Conversions</RouterLink>
      </p>
      <p v-if="session.isOwner && !visit.notes.includes('erased')">
        <Button severity="secondary" @click="askErase">Erase personal data …</Button>
      </p>
    </div>
  </SideSheet>
</template>
<style scoped>
dl {
  display: grid;
  grid-template-columns: 120px 1fr;
  gap: 6px 12px;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  min-width: 0;
  overflow-wrap: anywhere;
}
ul {
  margin: 0;
  padding-left: 18px;
}
</style>
