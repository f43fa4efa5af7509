<script setup lang="ts">
/** A traffic source: what its macros tell, which of it is click ID and cost, and where it hears of conversions. */
import PickOne from '../../ui/PickOne.vue';
import InputText from 'primevue/inputtext';
import FoldBlock from '../../ui/FoldBlock.vue';
import { macroStyles, sourceInput, wholeBody, type PartRecord } from '@tracheon/core/contract';
import { trackingLink } from '@tracheon/core/links';
import { computed } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import Checkbox from 'primevue/checkbox';
import LinkText from '../../ui/LinkText.vue';
import NameField from '../../shared/NameField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import SourceMore from './SourceMore.vue';
import SourceParameters from './SourceParameters.vue';
import SourceReporting from './SourceReporting.vue';

const props = defineProps<{ part?: PartRecord<'source'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const parts = useParts();
const session = useSession();
const blank = wholeBody('source', {
  name: '',
  parameters: [
    {
      parameter: '',
      macro: '',
      role: 'click_id',
      sub: '',
      meaning: '',
      report: true,
      personal: false,
      leftOff: [],
    },
  ],
  costCurrency: session.desk.currency,
});
const form = usePartForm('source', sourceInput, blank, props.part);
const { body, error } = form;
const readOnly = computed(() => !session.canEdit);
const hasCost = computed(() => body.parameters.some((p) => p.role === 'cost'));
const hasClick = computed(() => body.parameters.some((p) => p.role === 'click_id' && p.parameter !== ''));
const link = computed(() => trackingLink(session.me?.trackingOrigin ?? '', '…', body));
/** Sub-IDs that are gone from this source, but stand in links: where they would stay empty. */
const missed = computed(() => {
  const names = (all: typeof body.parameters): string[] =>
    all.filter((p) => p.role === 'sub').map((p) => p.sub);
  const kept = new Set(names(body.parameters));
  return names(props.part?.body.parameters ?? [])
    .filter((name) => name !== '' && !kept.has(name))
    .flatMap((name) => {
      const token = new RegExp(`\\{[^}]*sub_${name}(?![a-z0-9_])`);
      const users = parts.all.filter((p) => p.state !== 'archived' && token.test(JSON.stringify(p.body)));
      return users.length === 0
        ? []
        : [`“${name}” is still used in ${users.map((u) => u.body.name).join(', ')}.`];
    });
});
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  emit('saved', record);
  open.value = false;
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New source'"
    says="The ad network that sends the visits. Keep their macro list open beside this."
    :form="form"
    :action="part ? 'Save' : 'Create source'"
    :read-only="readOnly"
    :save="save"
  >
    <NameField v-model="body.name" kind="source" :error="error('name')" :except="part?.id" />
    <FormField v-slot="{ id }" label="Macro style" hint="How it writes a macro named x.">
      <PickOne
        :id="id"
        v-model="body.macroStyle"
        class="mono-input"
        :options="[...macroStyles.map((s) => ({ value: s, label: s }))]"
      />
    </FormField>
    <SourceParameters v-model="body" :error="error" :source-id="part?.id" />
    <p v-for="m in missed" :key="m" class="small" role="note">{{ m }} The value would stay empty there.</p>
    <p v-if="!hasClick" class="quiet small">
      Without source click ID, {{ body.name || 'the source' }} can’t know which click converted.
    </p>
    <div class="preview">
      <span class="quiet small">Tracking link</span><br /><LinkText :link="link" expander="they" />
    </div>
    <div class="halves">
      <FormField
        v-slot="{ id }"
        label="Cost unit"
        :hint="hasCost ? '' : 'Used when one of the parameters carries the cost.'"
      >
        <PickOne
          :id="id"
          v-model="body.costUnit"
          :options="[
            { value: 'visit', label: 'per visit' },
            { value: 'thousand', label: 'per 1 000 visits' },
            { value: 'cents', label: 'cents per visit' },
            { value: 'micros', label: 'millionths per visit' },
          ]"
        />
      </FormField>
      <FormField v-slot="{ id, invalid, described }" label="Cost currency" :error="error('costCurrency')">
        <InputText
          :id="id"
          v-model.trim="body.costCurrency"
          maxlength="3"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
    </div>
    <div>
      <label class="row"
        ><Checkbox v-model="body.allowsRedirects" binary :disabled="readOnly" /> This source allows
        redirects</label
      >
      <p v-if="!body.allowsRedirects" class="quiet">
        Its ads lead straight to your landing page, and the page’s script registers the visit.
      </p>
    </div>
    <SourceReporting v-model="body" :error="error" :disabled="readOnly" :source-id="part?.id" />
    <FoldBlock title="Billing, block lists, ad formats and tags">
      <SourceMore v-model="body" :error="error" />
    </FoldBlock>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
