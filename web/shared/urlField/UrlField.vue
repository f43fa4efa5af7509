<script setup lang="ts">
/**
 * A link as text and as structure at once: typed or pasted above, taken apart below, editable in either place. What the
 * checks say stands where it arises; what goes out is shown with a made-up visit.
 */
import Button from 'primevue/button';
import FoldBlock from '../../ui/FoldBlock.vue';
import InputText from 'primevue/inputtext';
import {
  applyAllFixes,
  applyFix,
  checkLink,
  linkParameters,
  type Finding,
  type LinkContext,
} from '@tracheon/core/links';
import { compileTemplate, expandTemplate, type TokenPlace } from '@tracheon/core/tokens';
import { computed, defineAsyncComponent, reactive, ref } from 'vue';
import FindingsList from '../../ui/FindingsList.vue';
import FormField from '../../ui/FormField.vue';
import LinkText from '../../ui/LinkText.vue';
import type { Candidate } from './completion.ts';
import { sampleValue } from './sample.ts';
import UrlRows from './UrlRows.vue';

const props = defineProps<{
  label: string;
  hint?: string;
  error?: string | undefined;
  context: LinkContext;
  candidates: Candidate[];
  disabled?: boolean;
  /** Codes that are no news here, since the form sees to them itself. */
  leaveOut?: string[];
  /** As it goes out, where that is more than what was typed. */
  outgoing?: string;
  outgoingSays?: string;
}>();
const model = defineModel<string>({ required: true });
const structure = ref(false);
const sample = reactive<Record<string, string>>({});

/** The editor is large; it comes with the first form that needs one. */
const TokenEditor = defineAsyncComponent(() => import('./TokenEditor.vue'));
const change = (text: string): void => void (model.value = text);

const findings = computed<Finding[]>(() =>
  model.value === ''
    ? []
    : checkLink(model.value, props.context).filter((f) => !props.leaveOut?.includes(f.code)),
);
/** What belongs to no row of the structure, or to one that is not shown. */
const above = computed(() => {
  if (!structure.value) return findings.value;
  const places = linkParameters(model.value);
  return findings.value.filter(
    (f) =>
      (f.start === 0 && f.end >= model.value.length) ||
      !places.some((p) => f.start < p.end && f.end > p.start),
  );
});
const certain = computed(() => findings.value.filter((f) => f.fix).length);
const fix = (f: Finding): void => change(applyFix(model.value, f));
const fixAll = (): void => change(applyAllFixes(model.value, props.context));

const goesOut = computed(() => props.outgoing || model.value);
const template = computed(() => (props.context.expander === 'we' ? compileTemplate(goesOut.value) : null));
const expanded = computed(() =>
  template.value ? expandTemplate(template.value, (name) => sample[name] ?? sampleValue(name)) : '',
);
const place = computed<TokenPlace>(() => props.context.place);
</script>
<template>
  <div class="url-field">
    <FormField
      v-slot="{ id, invalid, described }"
      :label="label"
      :hint="hint"
      :error="findings.length ? undefined : error"
    >
      <TokenEditor
        :id="id"
        :model-value="model"
        :expander="context.expander"
        :candidates="candidates"
        :findings="findings"
        :invalid="invalid || findings.some((f) => f.weight === 'stop')"
        :describedby="described"
        :disabled="disabled"
        @update:model-value="change($event)"
        @fix="fix"
      />
    </FormField>
    <template v-if="model">
      <FindingsList :findings="above" @fix="fix" />
      <div class="row tools">
        <Button variant="link" v-if="certain > 1 && !disabled" @click="fixAll">
          Fix all {{ certain }}
        </Button>
        <Button variant="link" :aria-expanded="structure" @click="structure = !structure">
          {{ structure ? 'Hide parameters' : 'Show parameters' }}
        </Button>
      </div>
      <UrlRows
        v-if="structure"
        :link="model"
        :expander="context.expander"
        :findings="findings"
        :candidates="candidates"
        :disabled="disabled"
        @change="change"
        @fix="fix"
      />
      <div class="out">
        <p v-if="outgoingSays" class="quiet small">{{ outgoingSays }}</p>
        <LinkText :link="goesOut" :expander="context.expander" />
        <FoldBlock
          :title="`With a sample ${place === 'visit' ? 'visit' : 'conversion'}`"
          v-if="template && template.names.length"
          class="sample"
        >
          <code class="expanded">{{ expanded }}</code>
          <div class="values">
            <label v-for="name in template.names" :key="name" class="small"
              ><code>{{ name }}</code>
              <InputText
                :model-value="sample[name] ?? sampleValue(name) ?? ''"
                class="mono-input"
                :aria-label="`Sample of ${name}`"
                @update:model-value="sample[name] = $event ?? ''"
            /></label>
          </div>
        </FoldBlock>
      </div>
    </template>
  </div>
</template>
<style scoped>
.url-field {
  display: grid;
  gap: 2px;
}
.tools {
  gap: 14px;
  font-size: 12px;
}
.out {
  background: var(--tint);
  border-radius: 5px;
  padding: 6px 10px;
  margin-top: 4px;
}
.small {
  font-size: 12px;
  margin: 0;
}
.sample {
  border: 0;
  padding: 4px 0 0;
  font-size: 12px;
}
.sample summary {
  font-weight: 500;
  color: var(--quiet);
}
.expanded {
  display: block;
  overflow-wrap: anywhere;
  padding: 2px 0 6px;
}
.values {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 4px 10px;
}
.values input {
  width: 100%;
  height: 26px;
}
</style>
