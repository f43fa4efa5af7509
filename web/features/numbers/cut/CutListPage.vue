<script setup lang="ts">
/** The values of a source's sub-ID that lose money: how sure that is, what cutting them does, and the lists of the source. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { Ban, Download, ListX, SlidersHorizontal } from '@lucide/vue';
import { useToast } from 'primevue/usetoast';
import { listText } from '@tracheon/core/cutting';
import { daysIn } from '@tracheon/core/time';
import { computed, ref } from 'vue';
import { useKeys } from '../../../app/keys.ts';
import { useSession } from '../../../app/session.ts';
import PeriodChoice from '../../../shared/PeriodChoice.vue';
import { usePeriod } from '../../../shared/period.ts';
import CopyButton from '../../../ui/CopyButton.vue';
import { download } from '../../../ui/download.ts';
import { dayRange } from '../../../ui/format.ts';
import PageHead from '../../../ui/PageHead.vue';
import PickOne from '../../../ui/PickOne.vue';
import SegmentChoice from '../../../ui/SegmentChoice.vue';
import StateBlock from '../../../ui/StateBlock.vue';
import BuildingNote from '../../../shared/BuildingNote.vue';
import CutSummary from './CutSummary.vue';
import CutValues from './CutValues.vue';
import KeepAwaySheet from './KeepAwaySheet.vue';
import ListedValues from './ListedValues.vue';
import RulesSheet from './RulesSheet.vue';
import { useCutList } from './useCutList.ts';

const session = useSession();
const toast = useToast();
const { range } = usePeriod();
const cut = useCutList();
const { sources, source, subs, sub, answer, rows, state, failure, building, chosen, chosenRows } = cut;
const search = ref('');
const shown = ref<'values' | 'lists'>('values');
const rulesOpen = ref(false);
const awayOpen = ref(false);
const busy = ref(false);
const problem = ref('');
const subChoices = computed(() => [...new Set([...subs.value, sub.value])].filter(Boolean));
const blocked = computed(() => cut.onList('block'));
const asList = (values: readonly string[]): string =>
  source.value ? listText(values, source.value.body) : '';
const chosenList = computed(() => asList(chosenRows.value.map((r) => r.value)));
const n = computed(() => chosenRows.value.length);
async function add(list: 'block' | 'allow'): Promise<void> {
  if (busy.value || n.value === 0 || !session.canEdit) return;
  busy.value = true;
  problem.value = '';
  try {
    const added = await cut.addTo(list);
    toast.add({
      severity: 'secondary',
      summary:
        added === 1 ? `1 value added to the ${list} list` : `${added} values added to the ${list} list`,
      detail: 'Copy the list and enter it at the source.',
      life: 5000,
    });
  } catch (error) {
    problem.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
function saveList(): void {
  download(`block-list-${sub.value}.txt`, 'text/plain', asList(blocked.value.map((e) => e.value)));
}
const copier = ref<InstanceType<typeof CopyButton> | null>(null);
useKeys([
  { key: 'c', words: 'Copy the chosen values as a list', run: () => void copier.value?.copy() },
  { key: 'b', words: 'Add the chosen values to the block list', run: () => void add('block') },
]);
</script>
<template>
  <PageHead
    title="Cut list"
    says="Values that lose money, how sure that is, and what cutting them would have done."
  >
    <CopyButton
      ref="copier"
      :text="chosenList"
      :label="n === 1 ? 'Copy 1 value' : `Copy ${n} values`"
      hint="The chosen values, as this source takes a list"
      key-name="c"
    />
    <template v-if="session.canEdit">
      <Button severity="secondary" :disabled="n === 0" @click="awayOpen = true"
        ><Ban :size="15" aria-hidden="true" /> Keep away</Button
      >
      <Button severity="secondary" :disabled="n === 0 || busy" @click="add('allow')"
        >Add to allow list</Button
      >
      <Button :disabled="n === 0 || busy" @click="add('block')"
        ><ListX :size="15" aria-hidden="true" /> Add {{ n }} to block list <kbd>b</kbd></Button
      >
    </template>
  </PageHead>
  <StateBlock
    v-if="sources.length === 0"
    state="empty"
    title="No traffic source yet"
    words="Add a source and its parameters under Parts. Its sub-IDs, such as the site, can then be judged here."
  />
  <template v-else>
    <div class="row wrap bar">
      <PickOne
        :model-value="source!.id"
        aria-label="Source"
        :options="sources.map((s) => ({ value: s.id, label: s.body.name }))"
        class="pick"
        @change="cut.choose.source($event)"
      />
      <PickOne
        v-if="subChoices.length > 0"
        :model-value="sub"
        aria-label="Sub-ID"
        :options="subChoices.map((s) => ({ value: s, label: `Sub-ID ${s}` }))"
        class="pick"
        @change="cut.choose.sub($event)"
      />
      <PeriodChoice />
      <span class="quiet">{{ dayRange(range.from, range.to) }} · {{ session.desk.currency }}</span>
      <Button severity="secondary" @click="rulesOpen = true"
        ><SlidersHorizontal :size="15" aria-hidden="true" /> Rules</Button
      >
    </div>
    <StateBlock
      v-if="sub === ''"
      state="empty"
      title="This source sends no sub-ID"
      words="Add its parameters, such as the site, to the source. They are then part of the tracking link."
    />
    <BuildingNote v-else-if="building" :building="building" />
    <template v-else>
      <CutSummary
        v-if="answer"
        :answer="answer"
        :chosen="chosenRows"
        :blocked="blocked"
        :days="daysIn(range)"
      />
      <p v-if="problem" class="error" role="alert">{{ problem }}</p>
      <div class="row spread bar">
        <SegmentChoice
          v-model="shown"
          label="What is shown"
          :options="[
            { value: 'values', label: 'Values' },
            { value: 'lists', label: `Lists (${cut.listed.value.length})` },
          ]"
        />
        <div class="row">
          <template v-if="shown === 'lists'">
            <CopyButton
              :text="asList(blocked.map((e) => e.value))"
              label="Copy block list"
              hint="The whole block list, as this source takes it"
            />
            <Button severity="secondary" :disabled="blocked.length === 0" @click="saveList"
              ><Download :size="15" aria-hidden="true" /> Save block list</Button
            >
          </template>
          <InputText
            v-model="search"
            type="search"
            :placeholder="`Search ${sub}`"
            :aria-label="`Search ${sub}`"
          />
        </div>
      </div>
      <section class="sheet" :aria-label="shown === 'values' ? 'Values' : 'Lists'">
        <CutValues
          v-if="shown === 'values'"
          v-model:chosen="chosen"
          :rows="rows"
          :sub="sub"
          :state="state"
          :failure="failure"
          :currency="session.desk.currency"
          :search="search"
          @again="cut.load()"
        />
        <ListedValues v-else :entries="cut.listed.value" :sub="sub" :search="search" :remove="cut.remove" />
        <p v-if="shown === 'values' && answer && rows.length > 0" class="quiet pad small">
          <template v-if="answer.count > rows.length"
            >The {{ rows.length }} values with the lowest profit of {{ answer.count }}. </template
          >Verdicts leave out visits younger than {{ answer.youngHours.most }} hours.
        </p>
      </section>
    </template>
  </template>
  <RulesSheet v-if="rulesOpen" v-model:open="rulesOpen" @saved="cut.load(true)" />
  <KeepAwaySheet
    v-if="awayOpen && source"
    v-model:open="awayOpen"
    :source-id="source.id"
    :source-name="source.body.name"
    :sub="sub"
    :values="chosenRows.map((r) => r.value)"
  />
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.pick {
  width: auto;
}
</style>
