<script setup lang="ts">
/** How a source hears of conversions: where, of which, of how many, and what payout it is told. */
import InputText from 'primevue/inputtext';
import Checkbox from 'primevue/checkbox';
import NumberField from '../../ui/NumberField.vue';
import PickOne from '../../ui/PickOne.vue';
import { statuses, type SourceInput } from '@tracheon/core/contract';
import { extractLinks, type LinkContext } from '@tracheon/core/links';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import AmountInput from '../../ui/AmountInput.vue';
import FormField from '../../ui/FormField.vue';
import SourceFile from './SourceFile.vue';
import SourceRequest from './SourceRequest.vue';
import { newRow } from '../../shared/newRows.ts';
import RowsField from '../../ui/RowsField.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';

const body = defineModel<SourceInput>({ required: true });
defineProps<{ error: (path: string) => string | undefined; disabled?: boolean; sourceId?: string }>();
const parts = useParts();
const session = useSession();
const tokens = useDeskTokens('conversion');
const context = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'conversion',
  needs: 'source_click_id',
  ownOrigins: session.me?.trackingOrigins ?? [],
}));
/** A pasted tag gives its address; the rest of the tag is the browser's affair. */
function addressOf(text: string): string {
  if (!/<(img|iframe)\b/i.test(text)) return text;
  return extractLinks(text)[0]?.link ?? text;
}
const payoutHint = computed(() =>
  body.value.reportPayout === 'converted' ? 'Converted at the rate of the conversion’s day.' : '',
);
const hasUrl = computed(
  () => body.value.postbackUrl !== '' || body.value.accounts.some((a) => a.postbackUrl !== ''),
);
const told = computed(() => hasUrl.value || body.value.fileKey !== '');
</script>
<template>
  <UrlField
    :model-value="body.postbackUrl"
    label="Postback URL of the source"
    hint="Example: …?uid={source_click_id}&sum={payout}. You can paste a whole pixel tag. Leave empty if the source takes no postback."
    :error="error('postbackUrl')"
    :context="context"
    :candidates="tokens"
    :disabled="disabled"
    @update:model-value="body.postbackUrl = addressOf($event)"
  />
  <RowsField
    v-slot="{ row, i }"
    v-model="body.accounts"
    add="Add account with its own postback URL"
    one="account"
    :make="newRow.account"
  >
    <div class="account">
      <div class="row">
        <InputText
          v-model="row.name"
          :aria-label="`Name of account ${i + 1}`"
          placeholder="account"
          :invalid="!!error(`accounts.${i}.name`)"
        />
        <span v-if="error(`accounts.${i}.name`)" class="error small">{{ error(`accounts.${i}.name`) }}</span>
      </div>
      <UrlField
        :model-value="row.postbackUrl"
        :label="`Postback URL of ${row.name || 'this account'}`"
        hint="If empty, Tracheon uses the URL above."
        :error="error(`accounts.${i}.postbackUrl`)"
        :context="context"
        :candidates="tokens"
        :disabled="disabled"
        @update:model-value="row.postbackUrl = addressOf($event)"
      />
    </div>
  </RowsField>
  <template v-if="told">
    <div role="group" aria-label="Statuses to report" class="row wrap">
      <span>Report a conversion when it becomes</span>
      <label v-for="s in statuses" :key="s" class="row"
        ><Checkbox v-model="body.reportStatuses" :value="s" /> {{ s }}</label
      >
    </div>
    <div role="group" aria-label="Event types to report" class="row wrap">
      <span>of</span>
      <label v-for="e in parts.of('event-type')" :key="e.id" class="row"
        ><Checkbox v-model="body.reportEvents" :value="e.id" /> {{ e.body.name }}</label
      >
      <span class="quiet small">{{ body.reportEvents.length === 0 ? 'none selected = all' : '' }}</span>
    </div>
    <div class="halves">
      <FormField
        v-slot="{ id, invalid, described }"
        label="Reported share (%)"
        hint="Tracheon decides once for each conversion."
        :error="error('reportedShare')"
      >
        <NumberField
          :id="id"
          v-model="body.reportedShare"
          min="0"
          max="100"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField v-slot="{ id }" label="Payout to report" :hint="payoutHint">
        <PickOne
          :id="id"
          v-model="body.reportPayout"
          :options="[
            { value: 'booked', label: 'in its own currency' },
            { value: 'converted', label: `converted into ${body.costCurrency}` },
            { value: 'fixed', label: 'always the same amount' },
          ]"
        />
      </FormField>
      <FormField
        v-if="body.reportPayout === 'fixed'"
        v-slot="{ id, invalid, described }"
        :label="`Amount to report (${body.costCurrency})`"
        :error="error('reportFixed')"
      >
        <AmountInput :id="id" v-model="body.reportFixed" :invalid="invalid" :describedby="described" />
      </FormField>
      <FormField
        v-slot="{ id, invalid, described }"
        label="Delay (minutes)"
        hint="0 = at once. If the status changes in the meantime, the old status is not sent."
        :error="error('reportDelayMinutes')"
      >
        <NumberField
          :id="id"
          v-model="body.reportDelayMinutes"
          min="0"
          max="43200"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField v-slot="{ id }" label="Report again">
        <PickOne
          :id="id"
          v-model="body.reportAgain"
          :options="[
            { value: 'never', label: 'never: each status once' },
            { value: 'payout', label: 'when the payout changes' },
            { value: 'each', label: 'each time the status or payout changes' },
          ]"
        />
      </FormField>
    </div>
    <SourceRequest v-if="hasUrl" v-model="body" :error="error" :disabled="disabled" :source-id="sourceId" />
  </template>
  <SourceFile v-model="body" :error="error" :disabled="disabled" :source-id="sourceId" />
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.account {
  width: 100%;
  border-left: 3px solid var(--hairline);
  padding-left: 10px;
}
.wrap {
  flex-wrap: wrap;
}
</style>
