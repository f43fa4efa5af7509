<script setup lang="ts">
/**
 * A link as text and as structure at once: typed or pasted above, taken apart below, editable in either place. What the
 * checks say stands where it arises; what goes out is shown with a made-up visit.
 */
import {
  applyAllFixes,
  applyFix,
  checkLink,
  linkParameters,
  type Finding,
  type LinkContext,
} from '@tracheon/core/links';
import { compileTemplate, expandTemplate, type TokenPlace } from '@tracheon/core/tokens';
import { computed, reactive, ref, watch } from 'vue';
import FindingsList from '../FindingsList.vue';
import FormField from '../FormField.vue';
import LinkText from '../LinkText.vue';
import type { Candidate } from './completion.ts';
import { History } from './history.ts';
import { sampleValue } from './sample.ts';
import TokenInput from './TokenInput.vue';
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
const history = new History(model.value);
const structure = ref(false);
const sample = reactive<Record<string, string>>({});

function change(text: string, whole = false): void {
  history.change(text, performance.now(), whole);
  model.value = text;
}
watch(model, (now) => history.change(now, performance.now(), true));
function onKey(event: KeyboardEvent): void {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
  event.preventDefault();
  const text = event.shiftKey ? history.redo() : history.undo();
  if (text !== null) model.value = text;
}

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
const fix = (f: Finding): void => change(applyFix(model.value, f), true);
const fixAll = (): void => change(applyAllFixes(model.value, props.context), true);

const goesOut = computed(() => props.outgoing || model.value);
const template = computed(() => (props.context.expander === 'we' ? compileTemplate(goesOut.value) : null));
const expanded = computed(() =>
  template.value ? expandTemplate(template.value, (name) => sample[name] ?? sampleValue(name)) : '',
);
const place = computed<TokenPlace>(() => props.context.place);
</script>
<template>
  <div class="url-field" @keydown="onKey">
    <FormField
      v-slot="{ id, invalid, described }"
      :label="label"
      :hint="hint"
      :error="findings.length ? undefined : error"
    >
      <TokenInput
        :id="id"
        :model-value="model"
        :candidates="candidates"
        :lines="2"
        :invalid="invalid || findings.some((f) => f.weight === 'stop')"
        :describedby="described"
        :disabled="disabled"
        @update:model-value="change($event)"
      />
    </FormField>
    <template v-if="model">
      <FindingsList :findings="above" @fix="fix" />
      <div class="row tools">
        <button v-if="certain > 1 && !disabled" type="button" class="bare" @click="fixAll">
          Fix all {{ certain }}
        </button>
        <button type="button" class="bare" :aria-expanded="structure" @click="structure = !structure">
          {{ structure ? 'Hide its parts' : 'Show its parts' }}
        </button>
      </div>
      <UrlRows
        v-if="structure"
        :link="model"
        :expander="context.expander"
        :findings="findings"
        :candidates="candidates"
        :disabled="disabled"
        @change="change($event, true)"
        @fix="fix"
      />
      <div class="out">
        <p v-if="outgoingSays" class="quiet small">{{ outgoingSays }}</p>
        <LinkText :link="goesOut" :expander="context.expander" />
        <details v-if="template && template.names.length" class="sample">
          <summary>With a made-up {{ place === 'visit' ? 'visit' : 'conversion' }}</summary>
          <code class="expanded">{{ expanded }}</code>
          <div class="values">
            <label v-for="name in template.names" :key="name" class="small"
              ><code>{{ name }}</code>
              <input
                :value="sample[name] ?? sampleValue(name) ?? ''"
                class="mono-input"
                :aria-label="`Sample of ${name}`"
                @input="sample[name] = ($event.target as HTMLInputElement).value"
            /></label>
          </div>
        </details>
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
