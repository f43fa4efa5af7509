<script setup lang="ts">
/** A link as structure: base, then a row for each parameter, with what the checks say of it in that row. */
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import {
  splitLink,
  withPair,
  withoutPair,
  joinLink,
  linkParameters,
  type Finding,
} from '@tracheon/core/links';
import { Plus, X } from '@lucide/vue';
import { computed, ref } from 'vue';
import { cutLink } from '../../ui/chips.ts';
import FindingsList from '../../ui/FindingsList.vue';
import LinkText from '../../ui/LinkText.vue';
import type { Candidate } from './completion.ts';
import TokenInput from './TokenInput.vue';

const props = defineProps<{
  link: string;
  expander: 'we' | 'they';
  findings: Finding[];
  candidates: Candidate[];
  disabled?: boolean;
}>();
const emit = defineEmits<{ change: [link: string]; fix: [finding: Finding] }>();
/** More rows than this are shown on demand: a link of 8 KiB stays quick to type in. */
const MANY = 40;
const all = ref(false);

const parts = computed(() => splitLink(props.link));
const rows = computed(() => {
  // Places of the findings are those of the text; each pair that is more than nothing has its place there.
  const places = linkParameters(props.link);
  let at = 0;
  return (parts.value.pairs ?? []).map((pair, index) => {
    const place = pair.name !== '' || pair.hasEquals ? places[at++] : undefined;
    const found = place
      ? props.findings.filter((f) => f.start < place.end && f.end > place.start && !isWhole(f))
      : [];
    return { ...pair, index, found };
  });
});
const hasChips = (value: string): boolean =>
  cutLink(value, props.expander).some((p) => p.kind === 'ours' || p.kind === 'theirs');
const isWhole = (f: Finding): boolean => f.start === 0 && f.end >= props.link.length;
const shown = computed(() =>
  (all.value ? rows.value : rows.value.slice(0, MANY)).filter((r) => r.name !== '' || r.hasEquals),
);
const saidOf = (found: Finding[]): string => found.map((f) => f.sentence).join('|');
const change = (link: string): void => emit('change', link);
const setBase = (base: string | undefined): void => change(joinLink({ ...parts.value, base: base ?? '' }));
</script>
<template>
  <div class="rows" role="group" aria-label="Parameters of the link">
    <div class="pair">
      <span class="quiet label">address</span>
      <InputText
        class="mono-input base"
        :model-value="parts.base"
        aria-label="Scheme, host and path"
        spellcheck="false"
        :disabled="disabled"
        @update:model-value="setBase"
      />
    </div>
    <!-- A row is drawn again only when it has changed: typing into a long link redraws one of hundreds. -->
    <div
      v-for="r in shown"
      :key="r.index"
      v-memo="[r.index, r.name, r.value, saidOf(r.found), disabled]"
      :class="['pair', { bad: r.found.length }]"
    >
      <InputText
        class="mono-input name"
        :model-value="r.name"
        :aria-label="`Name of parameter ${r.index + 1}`"
        spellcheck="false"
        :disabled="disabled"
        @update:model-value="change(withPair(link, r.index, $event ?? '', r.value))"
      />
      <TokenInput
        :model-value="r.value"
        :candidates="candidates"
        :label="`Value of ${r.name || `parameter ${r.index + 1}`}`"
        :disabled="disabled"
        @update:model-value="change(withPair(link, r.index, r.name, $event))"
      />
      <LinkText v-if="hasChips(r.value)" class="chips" :link="r.value" :expander="expander" />
      <span v-else class="chips" />
      <Button
        variant="link"
        :aria-label="`Remove ${r.name || `parameter ${r.index + 1}`}`"
        :disabled="disabled"
        @click="change(withoutPair(link, r.index))"
      >
        <X :size="14" />
      </Button>
      <FindingsList v-if="r.found.length" class="found" :findings="r.found" @fix="emit('fix', $event)" />
    </div>
    <div class="row spread">
      <Button
        variant="link"
        :disabled="disabled"
        @click="change(withPair(link, rows.length, `p${rows.length + 1}`, ''))"
      >
        <Plus :size="14" aria-hidden="true" /> Parameter
      </Button>
      <Button variant="link" v-if="rows.length > MANY && !all" @click="all = true">
        Show all {{ rows.length }}
      </Button>
    </div>
  </div>
</template>
<style scoped>
.rows {
  display: grid;
  gap: 3px;
}
.pair {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr) minmax(0, auto) 24px;
  gap: 4px;
  align-items: center;
}
.pair:first-child {
  grid-template-columns: 110px minmax(0, 1fr);
}
.label {
  font-size: 12px;
}
input {
  width: 100%;
  height: 28px;
}
.pair :deep(.token-input input) {
  height: 28px;
}
.chips {
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12px;
}
.found {
  grid-column: 2 / -1;
  margin-top: 0;
}
.bare {
  padding: 2px;
}
</style>
