<script setup lang="ts">
/** Step 4: name, cost, and what a test will cost. */
import PickOne from '../../ui/PickOne.vue';
import { costModels, type SheetBody } from '@tracheon/core/contract';
import { computed } from 'vue';
import { useSession } from '../../app/session.ts';
import AddressInput from '../../ui/AddressInput.vue';
import CostAmount from '../../shared/CostAmount.vue';
import { costModelLabels } from '../../shared/costWords.ts';
import FormField from '../../ui/FormField.vue';
import NameField from '../../shared/NameField.vue';
import BudgetHelper from './BudgetHelper.vue';
import StepLacks from './StepLacks.vue';
import type { Chain } from './useChain.ts';

const body = defineModel<SheetBody>({ required: true });
const props = defineProps<{ chain: Chain; errors: Record<string, string> }>();
const session = useSession();
const costSays = computed(() => {
  const source = props.chain.source.value;
  if (!source) return 'Choose the source first.';
  return props.chain.costModel.value === 'link'
    ? `${source.body.name} sends the cost in the tracking link, in ${source.body.costCurrency}.`
    : `${source.body.name} sends no cost in the tracking link.`;
});
</script>
<template>
  <div class="grid">
    <NameField
      v-model="body.campaignName"
      kind="campaign"
      label="Campaign name"
      :error="errors.campaignName"
      :placeholder="chain.names.value.campaign"
      :hint="chain.names.value.campaign ? 'If empty, Tracheon uses your desk’s name rule.' : ''"
    />
    <FormField
      v-slot="{ id, described }"
      label="Cost"
      :hint="['', 'link', 'none'].includes(body.costModel) ? costSays : ''"
    >
      <span class="row nowrap">
        <PickOne
          :id="id"
          v-model="body.costModel"
          :aria-describedby="described"
          :options="[
            {
              value: '',
              label: `${chain.costModel.value === 'link' ? 'from the link' : 'unknown'} (the source’s default)`,
            },
            ...costModels.map((value) => ({ value, label: costModelLabels[value] })),
          ]"
        />
      </span>
    </FormField>
    <CostAmount
      v-if="body.costModel !== '' && body.costModel !== 'link'"
      v-model:micros="body.costMicros"
      v-model:currency="body.costCurrency"
      v-model:share="body.costShare"
      v-model:event-type-id="body.costEventTypeId"
      :model="body.costModel"
      :error="(field) => errors[field]"
      :usual="session.desk.currency"
    />
    <FormField
      v-if="body.fallbackUrl !== ''"
      v-slot="{ id, invalid, described }"
      label="Fallback URL"
      hint="Visitors go here when no offer takes them."
      :error="errors.fallbackUrl"
    >
      <AddressInput :id="id" v-model="body.fallbackUrl" :invalid="invalid" :aria-describedby="described" />
    </FormField>
    <FormField v-if="body.sendBy === 'page'" v-slot="{ id }" label="Sends visitors on by">
      <PickOne
        :id="id"
        v-model="body.sendBy"
        :options="[
          { value: 'page', label: 'page without referrer' },
          { value: 'redirect', label: 'redirect' },
        ]"
      />
    </FormField>
  </div>
  <BudgetHelper v-model="body" :chain="chain" />
  <StepLacks :chain="chain" :at="['campaign']" />
</template>
<style scoped src="./steps.css"></style>
