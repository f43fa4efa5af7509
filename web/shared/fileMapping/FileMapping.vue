<script setup lang="ts">
/** A file and its network are chosen, and what its columns mean is said; what is done with it is the page's affair. */
import type { ColumnTarget } from '@tracheon/core/contract';
import { postbackFields } from '@tracheon/core/contract';
import { postbackFieldLabels } from '@tracheon/core/conversions';
import { computed, reactive } from 'vue';
import { useParts } from '../../app/parts.ts';
import { useSession } from '../../app/session.ts';
import FileButton from '../../ui/FileButton.vue';
import { count } from '../../ui/format.ts';
import FormField from '../../ui/FormField.vue';
import PickOne from '../../ui/PickOne.vue';
import ZoneField from '../../ui/ZoneField.vue';
import DateOrderField from './DateOrderField.vue';
import FileColumns from './FileColumns.vue';
import type { FileDraft } from './useFileDraft.ts';

const props = defineProps<{ file: FileDraft }>();
const file = reactive(props.file);
const parts = useParts();
const session = useSession();
const targetOptions = computed(() => [
  { value: '' as ColumnTarget, label: 'not used' },
  ...postbackFields.map((f) => ({ value: f as ColumnTarget, label: postbackFieldLabels[f] })),
  ...(parts.one('network', file.networkId)?.body.extras ?? []).map((x) => ({
    value: `x_${x.name}` as ColumnTarget,
    label: `Extra: ${x.name}`,
  })),
]);
const problem = computed(() => file.problems.find((p) => p.path.length === 1)?.message ?? '');
</script>
<template>
  <div class="fields">
    <FormField
      v-slot="{ id }"
      label="Network"
      hint="Tracheon reads status and event words as set at this network."
    >
      <PickOne :id="id" v-model="file.networkId" :options="file.networks" placeholder="Choose the network" />
    </FormField>
    <div class="file">
      <FileButton
        v-if="session.canEdit"
        accept=".csv,.tsv,.txt,.xlsx"
        :label="file.draft ? 'Choose another file' : 'Choose file'"
        :disabled="file.networkId === '' || file.busy !== ''"
        @pick="file.choose"
      />
      <span class="quiet">CSV or XLSX. The first row names the columns.</span>
    </div>
  </div>
  <p v-if="file.busy" role="status">{{ file.busy }}</p>
  <p v-if="file.failure" class="error" role="alert">{{ file.failure }}</p>
  <template v-if="file.draft">
    <p>
      <strong>{{ file.draft.fileName }}</strong> · {{ count(file.draft.total) }} rows.
      <template v-if="file.draft.isRemembered">Tracheon uses your last mapping for these columns.</template>
    </p>
    <FileColumns
      v-model="file.settings.targets"
      :draft="file.draft"
      :options="targetOptions"
      :problems="file.problems"
    />
    <div class="fields">
      <FormField v-slot="{ id }" label="Decimal mark">
        <PickOne
          :id="id"
          v-model="file.settings.decimalMark"
          :options="[
            { value: '', label: 'as set at the network' },
            { value: '.', label: 'point: 1.50' },
            { value: ',', label: 'comma: 1,50' },
          ]"
        />
      </FormField>
      <DateOrderField v-model="file.settings.dates" />
      <FormField v-slot="{ id }" label="Time zone" hint="For times without an offset.">
        <ZoneField :id="id" v-model="file.settings.zone" empty-label="as set at the network" />
      </FormField>
    </div>
    <p v-if="problem" class="error">{{ problem }}</p>
  </template>
</template>
<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(220px, 100%), 1fr));
  gap: 2px 14px;
  align-items: start;
}
.file {
  display: grid;
  gap: 4px;
  justify-items: start;
  align-self: center;
}
p {
  margin: 0;
}
</style>
