<script setup lang="ts">
/** Campaigns renamed by a rule: old and new names side by side first, done as one change, undone as one. */
import ListTable from '../../../ui/ListTable.vue';
import InputText from 'primevue/inputtext';
import Button from 'primevue/button';
import type { PartRecord } from '@tracheon/core/contract';
import { nameRuleProblem, nameWords, renameByRule } from '@tracheon/core/naming';
import { computed, ref } from 'vue';
import { useParts } from '../../../app/parts.ts';
import { useSession } from '../../../app/session.ts';
import FormField from '../../../ui/FormField.vue';
import SideSheet from '../../../ui/SideSheet.vue';
import BulkFoot from '../../../shared/BulkFoot.vue';
import { useNamedChain } from './useNamedChain.ts';
import { useBulkChange } from '../../../shared/useBulkChange.ts';

const props = defineProps<{ chosen: PartRecord<'campaign'>[] }>();
const open = defineModel<boolean>('open', { required: true });
const parts = useParts();
const session = useSession();
const chainOf = useNamedChain();
const { busy, failure, done, change, undo } = useBulkChange();
const rule = ref(session.desk.nameRules.campaign);
const problem = computed(() => nameRuleProblem(rule.value) ?? undefined);
/** As they are now: a change that was made shows at once. */
const campaigns = computed(() =>
  props.chosen.map((c) => parts.one('campaign', c.id)).filter((c) => c !== undefined),
);
const renamed = computed(() =>
  problem.value ? [] : renameByRule(campaigns.value, parts.of('campaign'), chainOf, rule.value),
);
const rename = (): Promise<void> =>
  change(
    `Renamed by ${rule.value}`,
    renamed.value.map(({ id, version, body }) => ({ id, version, body })),
  );
</script>
<template>
  <SideSheet
    v-model:open="open"
    title="Rename by rule"
    :says="`${chosen.length === 1 ? '1 campaign' : `${chosen.length} campaigns`}. You can change the desk’s rule under Settings.`"
  >
    <form class="stack" @submit.prevent="rename">
      <FormField
        v-slot="{ id, invalid, described }"
        label="Rule"
        :error="problem"
        :hint="`Available words: ${nameWords.map((w) => `{${w}}`).join(' ')}`"
      >
        <InputText
          :id="id"
          v-model="rule"
          class="mono-input"
          autocomplete="off"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <ListTable
        v-if="renamed.length"
        :rows="renamed"
        label="New names"
        :columns="[
          { key: 'before', label: 'Name now', sort: (r) => r.before },
          { key: 'after', label: 'Name by the rule', sort: (r) => r.after },
        ]"
      >
        <template #before="{ row }">{{ row.before }}</template>
        <template #after="{ row }"><strong>{{ row.after }}</strong></template>
      </ListTable>
      <p v-else-if="!problem && !done" class="quiet">All names already follow this rule.</p>
      <Button type="submit" :disabled="busy || renamed.length === 0">
        {{
          renamed.length === 0
            ? 'Nothing to rename'
            : renamed.length === 1
              ? 'Rename 1 campaign'
              : `Rename ${renamed.length} campaigns`
        }}
      </Button>
      <BulkFoot :done="done" :failure="failure" :busy="busy" @undo="undo" />
    </form>
  </SideSheet>
</template>
<style scoped src="./bulk.css"></style>
