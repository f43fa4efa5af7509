<script setup lang="ts">
/** One conversion: what it is now, how it came to that, what it booked, what the source was told. */
import Button from 'primevue/button';
import { statusOf } from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import { useSession } from '../../app/session.ts';
import { countryName, moment, money } from '../../ui/format.ts';
import ListTable from '../../ui/ListTable.vue';
import SideSheet from '../../ui/SideSheet.vue';
import StateBlock from '../../ui/StateBlock.vue';
import StatusMark from '../../ui/StatusMark.vue';
import ChangeByHand from './ChangeByHand.vue';
import ReviewPayout from './ReviewPayout.vue';
import { between, channelWords, ledgerWords } from './conversionWords.ts';

const props = defineProps<{ id: string }>();
const emit = defineEmits<{ changed: []; trail: [clickId: string]; open: [id: string] }>();
const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const {
  answer: whole,
  failure,
  load,
} = useAnswer(
  () => (open.value ? props.id : ''),
  (id) => ask('conversion', { id }),
);
const c = computed(() => whole.value?.conversion ?? null);
const details = computed<[string, string][]>(() => {
  if (!c.value) return [];
  const v = c.value;
  const all: [string, string][] = [
    ['Event', v.eventName],
    ['Campaign', v.campaignName],
    ['Source', v.sourceName],
    ['Source click ID', v.sourceClickId],
    ['Landing page', v.landingName || (v.campaignId === '' ? '' : 'direct link')],
    ['Partner', v.partnerName],
    ['Partner ID', v.partnerId],
    ['Offer', v.offerName],
    ['Network', v.networkName],
    ['Transaction', v.transaction],
    ['Country', v.country && countryName(v.country)],
    ['Device', v.device],
    ...Object.entries(v.subs),
    ...Object.entries(v.extras),
  ];
  return all.filter(([, value]) => value !== '');
});
/** Which of its forms is open. */
const form = ref<'' | 'change' | 'review'>('');
const toggle = (which: 'change' | 'review'): void => void (form.value = form.value === which ? '' : which);
function changed(): void {
  form.value = '';
  emit('changed');
  void load();
}
</script>
<template>
  <SideSheet v-model:open="open" title="One conversion">
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!whole || !c" state="loading" />
    <div v-else class="stack">
      <div class="row spread">
        <p class="now">
          <StatusMark :word="c.status" />
          <span :class="{ hold: statusOf[c.status].balance === 'hold' }"
            >{{ money(c.payoutMicros) }} {{ c.currency }}</span
          >
          <span v-if="c.currency !== session.desk.currency" class="quiet">
            {{
              c.baseMicros === null ? 'no rate yet' : `${money(c.baseMicros)} ${session.desk.currency}`
            }}</span
          >
          <span v-if="c.isTest" class="quiet">test</span>
        </p>
        <Button v-if="session.canEdit" severity="secondary" @click="toggle('change')"
          >Change by hand …</Button
        >
      </div>
      <ChangeByHand v-if="form === 'change'" :conversion="c" @changed="changed" @cancel="form = ''" />
      <div v-if="c.partnerStatus !== null" class="row spread">
        <p class="payout">
          {{ c.partnerName }} gets {{ money(c.partnerMicros!) }} {{ c.partnerCurrency }}
          <StatusMark :word="c.partnerStatus" />
          <span v-if="c.partnerDueAt" class="quiet">
            Tracheon approves it {{ moment(c.partnerDueAt, session.desk.zone) }}.</span
          >
        </p>
        <Button v-if="session.canEdit" severity="secondary" @click="toggle('review')">Review payout …</Button>
      </div>
      <ReviewPayout v-if="form === 'review'" :conversion="c" @changed="changed" @cancel="form = ''" />
      <p>
        Converted {{ moment(c.at, session.desk.zone)
        }}<template v-if="c.partnerId"
          >. {{ c.partnerName || `Partner ${c.partnerId}` }} brought it; there is no visit.</template
        ><template v-else
          >, {{ between(c.visitAt, c.at) }} after the visit ({{
            moment(c.visitAt, session.desk.zone)
          }}).</template
        >
        <Button v-if="parseClickId(c.clickId)" variant="link" @click="emit('trail', c.clickId)"
          >Show ID trail</Button
        ><template v-else-if="c.clickId"> An earlier tracker recorded this visit.</template>
      </p>
      <section aria-label="History">
        <h3>History</h3>
        <ListTable
          :rows="whole.receipts"
          label="History"
          :columns="[
            { key: 'at', label: 'Time' },
            { key: 'channel', label: 'From' },
            { key: 'what', label: 'Status and payout' },
            { key: 'outcome', label: 'Result' },
          ]"
        >
          <template #at="{ row }"
            ><RouterLink class="nowrap" :to="`/conversions/postbacks-in?open=${row.id}`">{{
              moment(row.at, session.desk.zone)
            }}</RouterLink></template
          >
          <template #channel="{ row }"
            >{{ channelWords[row.channel] }}<span v-if="row.by" class="quiet"> {{ row.by }}</span
            ><br v-if="row.reason" /><span v-if="row.reason" class="quiet">{{ row.reason }}</span></template
          >
          <template #what="{ row }"
            >{{ row.status
            }}<template v-if="row.payoutMicros !== null">
              · {{ money(row.payoutMicros) }} {{ row.currency || c.currency }}</template
            ></template
          >
          <template #outcome="{ row }"
            ><StatusMark :word="row.outcome" /> <span class="quiet">{{ row.sentence }}</span></template
          >
        </ListTable>
      </section>
      <section aria-label="Bookings">
        <h3>Bookings</h3>
        <ListTable
          :rows="whole.ledger.map((l, i) => ({ ...l, id: String(i) }))"
          label="Bookings"
          :columns="[
            { key: 'at', label: 'Time' },
            { key: 'amount', label: 'Amount', num: true },
            { key: 'rate', label: 'Rate', num: true },
            { key: 'base', label: `In ${session.desk.currency}`, num: true },
          ]"
        >
          <template #at="{ row }">{{ moment(row.at, session.desk.zone) }}</template>
          <template #amount="{ row }"
            >{{ money(row.deltaMicros, 2, true) }} {{ row.currency }} {{ ledgerWords[row.kind] }}</template
          >
          <template #rate="{ row }">{{ row.rate ?? '–' }}</template>
          <template #base="{ row }">{{
            row.baseDeltaMicros === null ? 'no rate' : money(row.baseDeltaMicros, 2, true)
          }}</template>
        </ListTable>
      </section>
      <dl>
        <template v-for="[name, value] in details" :key="name"
          ><dt>{{ name }}</dt>
          <dd>{{ value }}</dd></template
        >
        <template v-if="c.clickId"
          ><dt>Click ID</dt>
          <dd>
            <code>{{ c.clickId }}</code>
          </dd></template
        >
        <dt>Sent to the source</dt>
        <dd>
          <p v-for="s in whole.sent" :key="s.id">
            <StatusMark :word="s.state" /> {{ s.status }}, {{ moment(s.createdAt, session.desk.zone) }}
          </p>
          <span v-if="whole.sent.length === 0" class="quiet">{{
            c.isReported === false ? 'Not reported: outside the reported share.' : 'No postback.'
          }}</span>
        </dd>
        <template v-if="whole.others.length > 0"
          ><dt>Of the same visit</dt>
          <dd>
            <p v-for="o in whole.others" :key="o.id">
              <StatusMark :word="o.status" /> {{ o.eventName }} · {{ money(o.payoutMicros) }} {{ o.currency }}
              <Button variant="link" @click="emit('open', o.id)">Open</Button>
            </p>
          </dd></template
        >
      </dl>
    </div>
  </SideSheet>
</template>
<style scoped src="./lists.css"></style>
<style scoped>
.now {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 16px;
  font-weight: 600;
  margin: 0;
}
.hold {
  color: var(--hold);
}
h3 {
  margin: 4px 0;
}
p {
  margin: 0;
}
</style>
