<script setup lang="ts">
/** One group of alike postbacks: what is wrong with all of them, what waits in them, and the change that repairs them. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import type { NetworkFix, RepairGroup, RepairPreview as Preview } from '@tracheon/core/contract';
import { adviceOf, groupTitle, remedyOf } from '@tracheon/core/conversions';
import { postbackUrl } from '@tracheon/core/links';
import { computed, ref, watch } from 'vue';
import { ask } from '../../../app/api.ts';
import { newest } from '../../../base/newest.ts';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import CopyButton from '../../../ui/CopyButton.vue';
import { count, moment, money } from '../../../ui/format.ts';
import FixChoice from './FixChoice.vue';
import RepairPreview from './RepairPreview.vue';

/** Sources hardly learn from what is older. */
const REPORT_DAYS = 3;

const props = defineProps<{ group: RepairGroup; isOpen: boolean }>();
const emit = defineEmits<{ pick: []; changed: [] }>();
const session = useSession();
const parts = useParts();
const fix = ref<NetworkFix | null>(null);
const limited = ref(true);
const preview = ref<Preview | null>(null);
const failure = ref('');
const busy = ref(false);
const remedy = computed(() => remedyOf(props.group));
const isHere = computed(() => remedy.value !== 'at_network');
const waiting = computed(() => props.group.waiting.filter((w) => w.micros !== '0'));
const offers = computed(() => {
  const [first, ...more] = props.group.offerNames;
  if (first === undefined) return '';
  return `, for ${first}${more.length > 0 ? ` and ${more.length} more` : ''}`;
});
const network = computed(() => parts.one('network', props.group.networkId));
const handover = computed(() =>
  network.value ? postbackUrl(session.me?.trackingOrigin ?? '', network.value.key, network.value.body) : '',
);
const asked = (how: NetworkFix) => ({
  networkId: props.group.networkId,
  outcome: props.group.outcome,
  reason: props.group.reason,
  key: props.group.key,
  fix: how,
  reportDays: limited.value ? REPORT_DAYS : null,
});
const asks = newest();
function look(): void {
  preview.value = null;
  failure.value = '';
  const how = fix.value;
  if (!how || !props.isOpen || !session.canEdit) return;
  void asks(
    ask('previewRepair', { body: asked(how) }),
    (answer) => (preview.value = answer),
    (why) => (failure.value = why),
  );
}
watch([fix, () => props.isOpen, () => props.group.count], look, { immediate: true });

async function repair(): Promise<void> {
  if (!fix.value || busy.value || !session.canEdit) return;
  busy.value = true;
  failure.value = '';
  try {
    await ask('repairGroup', { body: asked(fix.value) });
    void parts.load();
    emit('changed');
  } catch (error) {
    failure.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
defineExpose({ repair });
const asksReason = ref(false);
const why = ref('');
async function setAside(): Promise<void> {
  if (why.value.trim() === '') return;
  const { networkId, outcome, reason, key } = props.group;
  try {
    await ask('setAsideGroup', { body: { networkId, outcome, reason, key, why: why.value.trim() } });
    emit('changed');
  } catch (error) {
    failure.value = (error as Error).message;
  }
}
</script>
<template>
  <section class="sheet pad group" :class="{ chosen: isOpen }" :aria-label="groupTitle(group)">
    <div class="row spread top">
      <h2>
        <Button variant="link" class="title" :aria-expanded="isOpen" @click="emit('pick')">{{
          groupTitle(group)
        }}</Button>
      </h2>
      <span v-if="waiting.length > 0" class="sum hold">
        <span v-for="w in waiting" :key="w.currency">{{ money(w.micros) }} {{ w.currency }}</span>
      </span>
      <span v-else class="quiet">–</span>
    </div>
    <p class="row spread quiet">
      <span
        >{{ group.count === 1 ? '1 postback' : `${count(group.count)} postbacks` }} since
        {{ moment(group.firstAt, session.desk.zone) }}{{ offers
        }}<template v-if="group.count > 1">. Last: {{ moment(group.lastAt, session.desk.zone) }}</template
        >.</span
      >
      <span v-if="waiting.length > 0">waiting</span>
    </p>
    <template v-if="isOpen">
      <div v-if="isHere && session.canEdit" class="row spread fix">
        <FixChoice v-model="fix" :group="group" />
        <Button :disabled="fix === null || busy" @click="repair"
          >{{ busy ? 'Starting …' : remedy === 'none' ? 'Reprocess' : 'Fix and reprocess' }}
          <kbd>F</kbd></Button
        >
      </div>
      <p v-if="adviceOf(group)" class="advice">{{ adviceOf(group) }}</p>
      <RepairPreview v-if="preview" v-model:limited="limited" :preview="preview" :days="REPORT_DAYS" />
      <p v-else-if="fix && !failure && session.canEdit" class="quiet" role="status">
        Calculating what this would do …
      </p>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div class="row acts">
        <CopyButton v-if="!isHere && handover" :text="handover" label="Copy correct postback URL" />
        <RouterLink :to="`/parts/network?open=${group.networkId}`">Open network</RouterLink>
        <RouterLink :to="`/conversions/postbacks-in?kind=${group.outcome}&network=${group.networkId}`"
          >Show postbacks</RouterLink
        >
        <Button v-if="session.canEdit" variant="link" @click="asksReason = !asksReason">Set aside …</Button>
      </div>
      <form v-if="asksReason" class="row" @submit.prevent="setAside">
        <InputText
          v-model="why"
          maxlength="200"
          aria-label="Reason"
          placeholder="Reason, for example: account closed"
          class="why"
        />
        <Button type="submit" severity="secondary" :disabled="why.trim() === ''"
          >Set {{ count(group.count) }} aside</Button
        >
      </form>
    </template>
  </section>
</template>
<style scoped>
.group {
  display: grid;
  gap: 8px;
}
.chosen {
  outline: 2px solid var(--action);
  outline-offset: 1px;
}
.top {
  flex-wrap: nowrap;
  align-items: baseline;
}
h2 {
  font-size: 14px;
  margin: 0;
  min-width: 0;
}
.title {
  padding: 0;
  color: var(--ink);
  font-weight: 700;
  text-align: left;
  text-decoration: none;
  overflow-wrap: anywhere;
}
.sum {
  display: grid;
  text-align: right;
  font-weight: 700;
  font-size: 15px;
  white-space: nowrap;
}
.hold {
  color: var(--hold);
}
p {
  margin: 0;
  font-size: 12.5px;
}
.advice {
  max-width: 76ch;
}
.fix {
  flex-wrap: nowrap;
  align-items: center;
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
}
.acts {
  gap: 14px;
  flex-wrap: wrap;
  font-size: 12.5px;
}
.why {
  width: min(380px, 60vw);
}
</style>
