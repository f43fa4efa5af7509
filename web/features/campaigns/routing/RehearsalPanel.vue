<script setup lang="ts">
/** Takes one described visitor through the routing in the editor: shows which branch takes the visitor, and why. */
import { leavesOf, type Routing } from '@tracheon/core/contract';
import { rehearse } from '@tracheon/core/conditions';
import { conditionWords, OTHERWISE, type ValueName } from '@tracheon/core/routing';
import { conditionField, SEEN_OFFER } from '@tracheon/core/visits';
import { computed, reactive } from 'vue';
import { percent } from '../../../ui/format.ts';
import FormField from '../../../ui/FormField.vue';
import InputText from 'primevue/inputtext';
import PickOne from '../../../ui/PickOne.vue';
import { allCountries } from '../../../ui/countries.ts';
import { flagChoicesOf, hourChoices, weekdayChoices } from './editedCondition.ts';
import { fieldsAsked, visitorOf, type Described } from './describedVisitor.ts';
import { sharesByOdds, useOdds } from './odds.ts';

const props = defineProps<{
  routing: Routing;
  zone: string;
  letters: (id: string) => string;
  nameOf: ValueName;
}>();
const odds = useOdds();
const described = reactive<Described>({});
const fields = computed(() => fieldsAsked(props.routing));
/** The rehearsal's hour and weekday are those of the moment at which it was opened, where none is chosen. */
const openedMs = Date.now();
const result = computed(() =>
  rehearse(props.routing, visitorOf(described, openedMs, props.zone), props.zone),
);
const taken = computed(() =>
  result.value.number === 0 ? props.routing.otherwise : props.routing.branches[result.value.number - 1]!,
);
const goesTo = computed(() => {
  const wayId = result.value.number === 0 ? OTHERWISE : props.routing.branches[result.value.number - 1]!.id;
  const shares = sharesByOdds(taken.value, odds.value.byWay.get(wayId));
  const open = taken.value.pairings.flatMap((p, i) =>
    shares[i]! > 0 ? [`${props.letters(p.id)} ${percent(shares[i]! / 100, 0)}`] : [],
  );
  return open.join(', ') || 'the fallback, since no pairing is on';
});
const labelOf = (name: string): string => {
  const field = conditionField(name);
  return field?.name.startsWith('sub_') ? `sub-ID ${field.label}` : (field?.label ?? name);
};
const countries = [
  { value: '', label: 'unknown' },
  ...allCountries.map((c) => ({ value: c.code, label: c.name })),
];
const choices: Record<string, { value: string; label: string }[]> = {
  country: countries,
  hour: [...hourChoices],
  weekday: [...weekdayChoices],
};
/** Those that a branch asks for; a visitor that has seen none of them is like one without a cookie. */
const offers = computed(() => {
  const asked = props.routing.branches.flatMap((b) => leavesOf(b.when)).filter((l) => l.on === SEEN_OFFER);
  const ids = [...new Set(asked.flatMap((l) => l.values))];
  return [
    { value: '', label: 'none of these' },
    ...ids.map((id) => ({ value: id, label: props.nameOf(SEEN_OFFER, id) })),
  ];
});
function choicesOf(name: string): { value: string; label: string }[] | null {
  if (name === SEEN_OFFER) return offers.value;
  return conditionField(name)?.kind === 'flag' ? flagChoicesOf(name) : (choices[name] ?? null);
}
const MARKS = { matches: '✓', 'doesn’t match': '✗', 'not asked': '–' };
</script>
<template>
  <section class="sheet pad" aria-label="Rehearsal">
    <h2>Rehearsal</h2>
    <p class="quiet">Describe a visitor to see which branch takes it. Nothing is sent or counted.</p>
    <div class="fields">
      <FormField v-for="name in fields" :key="name" v-slot="{ id }" :label="labelOf(name)">
        <PickOne
          v-if="choicesOf(name)"
          :id="id"
          v-model="described[name]"
          :options="choicesOf(name)!"
          placeholder="unknown"
        />
        <InputText v-else :id="id" v-model="described[name]" placeholder="unknown" />
      </FormField>
    </div>
    <p v-if="fields.length === 0" class="quiet">
      No branch asks for anything, so every visitor goes the same way.
    </p>
    <ol class="steps" aria-label="Branches asked">
      <li
        v-for="(branch, i) in result.branches"
        :key="branch.branchId"
        :class="{ quiet: branch.answer === 'not asked' }"
      >
        <span aria-hidden="true">{{ MARKS[branch.answer] }}</span> Branch {{ i + 1 }} {{ branch.answer }}
        <ul v-if="branch.parts.length > 0">
          <li v-for="(part, n) in branch.parts" :key="n" class="quiet">
            {{ part.holds ? '✓' : '✗' }} {{ conditionWords(part.condition, nameOf) }}
          </li>
        </ul>
      </li>
    </ol>
    <p role="status" class="goes">
      <strong>{{ result.number === 0 ? 'Otherwise' : `Branch ${result.number}` }} takes this visitor:</strong>
      {{ goesTo }}
    </p>
  </section>
</template>
<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 4px 12px;
}
.steps {
  list-style: none;
  padding: 0;
  margin: 6px 0;
}
.steps > li {
  border-top: 1px solid var(--hairline);
  padding: 5px 0;
}
.steps ul {
  list-style: none;
  padding-left: 18px;
}
.goes {
  margin-top: 8px;
}
</style>
