<script setup lang="ts">
/** What earns and what loses: figures by any values, level by level, with a total that is always of all rows. */
import InputText from 'primevue/inputtext';
import ProgressBar from 'primevue/progressbar';
import { computed, ref } from 'vue';
import { useKeys } from '../../app/keys.ts';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import LiveMark from '../../shared/LiveMark.vue';
import PeriodChoice from '../../shared/PeriodChoice.vue';
import { usePeriod } from '../../shared/period.ts';
import { count, countryName, dayRange, moment } from '../../ui/format.ts';
import PageHead from '../../ui/PageHead.vue';
import FilterChoice from './FilterChoice.vue';
import { groupingLabel } from './groupingWords.ts';
import LevelChoice from './LevelChoice.vue';
import NumbersTable from './NumbersTable.vue';
import { useNumbers } from './useNumbers.ts';

const session = useSession();
const parts = useParts();
const { range } = usePeriod();
const numbers = useNumbers();
const { rows, state, building, problem, search, levels, answer, only, having, against } = numbers;
const total = computed(() => answer.value?.total ?? null);
/** Records by their names; whatever else is called as it is. */
const named = (by: string, value: string): string =>
  by === 'country' && value !== '' ? countryName(value) : (parts.byId.get(value)?.body.name ?? value);
const share = computed(() => {
  const now = building.value;
  return !now || now.ofAbout <= 0 ? 0 : Math.min(100, Math.round((now.visits / now.ofAbout) * 100));
});
const progress = computed(() => {
  const { visits = 0, ofAbout = 0 } = building.value ?? {};
  return ofAbout > visits ? `${count(visits)} of about ${count(ofAbout)}` : count(visits);
});
const youngWords = ({ least, most }: { least: number; most: number }): string =>
  `Verdicts leave out visits younger than ${least === most ? most : `${least} to ${most}`} hours: most of their conversions have yet to come.`;
const searchField = ref<InstanceType<typeof InputText> | null>(null);
useKeys([
  {
    key: '/',
    words: 'Search the values',
    run: () => (searchField.value as unknown as { $el: HTMLInputElement } | null)?.$el.focus(),
  },
]);
</script>
<template>
  <PageHead title="Numbers" says="What earns and what loses, by any value, by the day of the visit.">
    <LiveMark />
  </PageHead>
  <div class="row spread bar">
    <div class="row wrap">
      <PeriodChoice />
      <span class="quiet"
        >{{ dayRange(range.from, range.to) }} · {{ session.desk.zone }} · {{ session.desk.currency
        }}<template v-if="against"> · against {{ dayRange(against.from, against.to) }}</template></span
      >
    </div>
    <FilterChoice
      v-model:only="only"
      v-model:having="having"
      :subs="answer?.subs ?? []"
      :named="named"
      :suggest="numbers.suggest"
    />
  </div>
  <div class="row spread bar">
    <LevelChoice :model-value="levels" :subs="answer?.subs ?? []" @update:model-value="numbers.setLevels" />
    <InputText
      ref="searchField"
      v-model="search"
      type="search"
      class="search"
      :placeholder="`Search ${groupingLabel(levels[0]!)}`"
      :aria-label="`Search ${groupingLabel(levels[0]!)}`"
    />
  </div>
  <section v-if="building" class="sheet pad" aria-label="Building the index" role="status">
    <h2>Tracheon is building the index for this report</h2>
    <p>It has read {{ progress }} visits. Visits and conversions are recorded as usual.</p>
    <ProgressBar :value="share" aria-label="Progress of the index" />
  </section>
  <section v-else class="sheet" aria-label="Numbers">
    <p v-if="problem" class="error pad" role="alert">{{ problem }}</p>
    <NumbersTable :numbers="numbers" />
    <p v-if="answer && state === 'ready' && rows.length > 0" class="quiet pad small">
      {{ answer.count === 1 ? '1 row' : `${count(answer.count)} rows`
      }}<template v-if="search"> found. The total covers all rows</template>. Updated
      {{ moment(answer.fedAt, session.desk.zone) }}.
      <template v-if="answer.youngHours">{{ youngWords(answer.youngHours) }}</template>
    </p>
    <p v-for="u in total?.unconverted ?? []" :key="u.currency" class="quiet pad small">
      Tracheon has no exchange rate for {{ u.currency }}, so these figures leave out amounts in
      {{ u.currency }}.
    </p>
  </section>
</template>
<style scoped>
.bar {
  margin-bottom: 10px;
}
.search {
  width: 260px;
}
</style>
