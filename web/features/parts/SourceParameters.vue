<script setup lang="ts">
/** The parameters of the tracking link: the macro that fills each, its meaning, and the name it is stored under. */
import InputText from 'primevue/inputtext';
import PickOne from '../../ui/PickOne.vue';
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import { linkPlaces, type LinkPlace, type SourceInput } from '@tracheon/core/contract';
import { completeMacro } from '@tracheon/core/tokens';
import { ref } from 'vue';
import { useParts } from '../../app/parts.ts';
import { newRow } from '../../shared/newRows.ts';
import RowsField from '../../ui/RowsField.vue';

const body = defineModel<SourceInput>({ required: true });
const props = defineProps<{ error: (path: string) => string | undefined; sourceId?: string | undefined }>();
const parts = useParts();
type Parameter = SourceInput['parameters'][number];
/** The parameter whose further settings are open; −1: none. */
const opened = ref(-1);

function complete(p: Parameter): void {
  p.macro = completeMacro(body.value.macroStyle, p.macro);
  // The plainest name for a sub-ID is the parameter's own, made fit.
  if (p.role === 'sub' && p.sub === '')
    p.sub = p.parameter
      .toLowerCase()
      .replace(/[^a-z0-9_]+/g, '_')
      .replace(/^[^a-z]+/, '')
      .slice(0, 32);
}
/** The same name means another thing at another source: said, since reports add up by name. */
function meantOtherwise(p: Parameter): string {
  if (p.role !== 'sub' || p.sub === '' || p.meaning.trim() === '') return '';
  for (const other of parts.of('source')) {
    if (other.id === props.sourceId) continue;
    const same = other.body.parameters.find((q) => q.role === 'sub' && q.sub === p.sub);
    if (same?.meaning && same.meaning.trim().toLowerCase() !== p.meaning.trim().toLowerCase())
      return `At ${other.body.name}, “${p.sub}” is “${same.meaning}”. Reports would add the two together.`;
  }
  return '';
}
const placeWords: Record<LinkPlace, string> = {
  final_url: 'final URL',
  tracking_template: 'tracking template',
  extension: 'extension link',
};
</script>
<template>
  <RowsField
    v-model="body.parameters"
    title="Parameters of the tracking link"
    add="Add parameter"
    one="parameter"
    :make="newRow.parameter"
  >
    <template #head>
      <div class="line head quiet small" aria-hidden="true">
        <span>Parameter</span><span>Their macro</span><span>Meaning</span><span>Sub-ID name</span>
      </div>
    </template>
    <template #default="{ row: p, i }">
      <div class="line">
        <InputText
          v-model="p.parameter"
          class="mono-input"
          autocomplete="off"
          :aria-label="`Parameter ${i + 1}`"
          :invalid="!!error(`parameters.${i}.parameter`)"
        />
        <InputText
          v-model="p.macro"
          class="mono-input"
          autocomplete="off"
          :aria-label="`Macro of parameter ${i + 1}`"
          :invalid="!!error(`parameters.${i}.macro`)"
          @blur="complete(p)"
        />
        <PickOne
          v-model="p.role"
          :aria-label="`Meaning of parameter ${i + 1}`"
          @change="complete(p)"
          :options="[
            { value: 'click_id', label: 'source click ID' },
            { value: 'cost', label: 'cost' },
            { value: 'sub', label: 'sub-ID' },
          ]"
        />
        <InputText
          v-if="p.role === 'sub'"
          v-model="p.sub"
          class="mono-input"
          placeholder="site"
          :aria-label="`Sub-ID name of parameter ${i + 1}`"
          :invalid="!!error(`parameters.${i}.sub`)"
        />
        <span v-else />
        <Button
          variant="link"
          class="more"
          :aria-expanded="opened === i"
          :aria-label="`More of parameter ${i + 1}`"
          @click="opened = opened === i ? -1 : i"
        >
          …
        </Button>
      </div>
      <p v-for="path in ['parameter', 'macro', 'role', 'sub']" :key="path" class="small flush">
        <span v-if="error(`parameters.${i}.${path}`)" class="error">{{
          error(`parameters.${i}.${path}`)
        }}</span>
      </p>
      <p v-if="meantOtherwise(p)" class="small flush">{{ meantOtherwise(p) }}</p>
      <div v-if="opened === i" class="details small">
        <label
          >Description
          <InputText v-model="p.meaning" placeholder="the site on which the ad was shown" maxlength="120"
        /></label>
        <label v-if="p.role === 'sub'" class="row"
          ><Checkbox v-model="p.report" binary /> Use it in reports (otherwise Tracheon only passes it
          on)</label
        >
        <label v-if="p.role === 'sub'" class="row"
          ><Checkbox v-model="p.personal" binary /> It is personal, such as an e-mail address (sealed visits
          don’t keep it)</label
        >
        <span class="row" role="group" aria-label="Leave out of">
          leave out of
          <label v-for="place in linkPlaces" :key="place" class="row"
            ><Checkbox v-model="p.leftOff" :value="place" /> {{ placeWords[place] }}</label
          >
        </span>
      </div>
    </template>
  </RowsField>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.line {
  width: 100%;
  display: grid;
  grid-template-columns: 1fr 1.1fr 142px 1fr 22px;
  gap: 6px;
  align-items: center;
}
.head {
  padding-right: 30px;
}
.flush {
  margin: 0;
}
.flush:empty {
  display: none;
}
.details {
  display: grid;
  gap: 5px;
  padding: 6px 8px 8px 12px;
  border-left: 3px solid var(--hairline);
  margin: 2px 0 6px;
}
.details > label:first-child {
  display: grid;
  gap: 2px;
}
.more {
  font-weight: 700;
}
</style>
