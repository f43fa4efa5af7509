<script setup lang="ts">
/** When this desk says cut, keep, or bid more. */
import { verdictRules, type VerdictRules } from '@tracheon/core/contract';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import { computed, ref } from 'vue';
import { ask } from '../../../app/api.ts';
import { useSession } from '../../../app/session.ts';
import FieldGroup from '../../../ui/FieldGroup.vue';
import FormField from '../../../ui/FormField.vue';
import NumberField from '../../../ui/NumberField.vue';
import SideSheet from '../../../ui/SideSheet.vue';
import StateBlock from '../../../ui/StateBlock.vue';

const emit = defineEmits<{ saved: [rules: VerdictRules] }>();
const open = defineModel<boolean>('open', { required: true });
const session = useSession();
const body = ref<VerdictRules>(verdictRules.parse({}));
const state = ref<'loading' | 'ready' | 'failed'>('loading');
const failure = ref('');
const busy = ref(false);
async function load(): Promise<void> {
  state.value = 'loading';
  try {
    body.value = await ask('verdictRules');
    state.value = 'ready';
  } catch (error) {
    failure.value = (error as Error).message;
    state.value = 'failed';
  }
}
void load();
type Field = keyof VerdictRules;
const fields: { name: Exclude<Field, 'cutRoi'>; label: string; hint: string }[] = [
  {
    name: 'cutBelow',
    label: 'Cut below this chance of profit, %',
    hint: 'The chance that a value earns more than it costs.',
  },
  {
    name: 'cutAfterPayouts',
    label: 'Never cut before this much is spent, in payouts',
    hint: '1 payout is what one conversion pays on average.',
  },
  {
    name: 'noConversionPayouts',
    label: 'Cut without a conversion when this much is spent, in payouts',
    hint: 'This rule works whatever the chance is.',
  },
  {
    name: 'settledPayouts',
    label: 'Say keep or bid down when this much is spent, in payouts',
    hint: 'Below it, the verdict is “too early” unless the chance is clear.',
  },
  { name: 'bidUpAbove', label: 'Bid up above this chance of profit, %', hint: '' },
  { name: 'wantedRoi', label: 'ROI that suggested bids leave, %', hint: '0 = the break-even bid.' },
];
const issues = computed(() => verdictRules.safeParse(body.value).error?.issues ?? []);
const error = (name: Field): string | undefined =>
  issues.value.some((i) => i.path[0] === name)
    ? (issues.value.find((i) => i.path[0] === name && i.code !== 'invalid_type')?.message ??
      'Enter a number.')
    : undefined;
async function save(): Promise<void> {
  if (issues.value.length > 0 || busy.value) return;
  busy.value = true;
  failure.value = '';
  try {
    emit('saved', await ask('changeVerdictRules', { body: body.value }));
    open.value = false;
  } catch (problem) {
    failure.value = (problem as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Rules of this desk"
    says="These rules decide every verdict in Numbers, in Campaigns and in cut lists."
  >
    <StateBlock v-if="state !== 'ready'" :state="state" :words="failure" @again="load" />
    <form v-else class="rules" @submit.prevent="save">
      <FieldGroup :disabled="!session.canEdit" class="fields">
        <FormField
          v-for="f in fields"
          :key="f.name"
          v-slot="{ id, invalid }"
          :label="f.label"
          :hint="f.hint"
          :error="error(f.name)"
        >
          <NumberField :id="id" v-model="body[f.name]" :decimals="2" :invalid="invalid" />
        </FormField>
        <label class="row"
          ><Checkbox
            binary
            :model-value="body.cutRoi !== null"
            @update:model-value="body.cutRoi = $event ? -20 : null"
          />
          Also cut by ROI</label
        >
        <FormField
          v-if="body.cutRoi !== null"
          v-slot="{ id, invalid }"
          label="Cut at this ROI or below, %"
          hint="Used once as much is spent as for keep or bid down."
          :error="error('cutRoi')"
        >
          <NumberField
            :id="id"
            :model-value="body.cutRoi"
            :decimals="2"
            :invalid="invalid"
            @update:model-value="body.cutRoi = $event!"
          />
        </FormField>
      </FieldGroup>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div v-if="session.canEdit" class="row">
        <Button type="submit" :disabled="issues.length > 0 || busy">Save rules</Button>
        <Button variant="text" @click="body = verdictRules.parse({})">Use the defaults</Button>
      </div>
    </form>
  </SideSheet>
</template>
<style scoped>
.rules {
  display: grid;
  gap: 12px;
}
.fields {
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 8px;
}
</style>
