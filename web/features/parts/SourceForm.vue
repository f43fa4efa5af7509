<script setup lang="ts">
/** A traffic source: what its macros tell, which of it is click ID and cost, and where it hears of conversions. */
import {
  macroShapes,
  sourceInput,
  statuses,
  type PartRecord,
  type SourceInput,
} from '@tracheon/core/contract';
import { trackingLink, type LinkContext } from '@tracheon/core/links';
import { completeMacro } from '@tracheon/core/tokens';
import { Plus, X } from '@lucide/vue';
import { computed } from 'vue';
import { useSession } from '../../app/session.ts';
import FormField from '../../shared/FormField.vue';
import FormFoot from '../../shared/FormFoot.vue';
import LinkText from '../../shared/LinkText.vue';
import NameField from '../../shared/NameField.vue';
import SideSheet from '../../shared/SideSheet.vue';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';

const props = defineProps<{ part?: PartRecord<'source'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const session = useSession();
const blank: SourceInput = {
  name: '',
  macroShape: '{x}',
  parameters: [{ parameter: '', macro: '', role: 'click_id', sub: '' }],
  costUnit: 'visit',
  costCurrency: session.desk.currency,
  decimalMark: '',
  postbackUrl: '',
  tellStatuses: ['approved'],
  notes: '',
};
const form = usePartForm('source', sourceInput, blank, props.part);
const { body, error } = form;
const readOnly = computed(() => !session.canEdit);
type Parameter = SourceInput['parameters'][number];

function complete(p: Parameter): void {
  p.macro = completeMacro(body.macroShape, p.macro);
  // The plainest name for a sub-ID is the parameter's own, made fit.
  if (p.role === 'sub' && p.sub === '')
    p.sub = p.parameter
      .toLowerCase()
      .replace(/[^a-z0-9_]+/g, '_')
      .replace(/^[^a-z]+/, '')
      .slice(0, 32);
}
const hasCost = computed(() => body.parameters.some((p) => p.role === 'cost'));
const hasClick = computed(() => body.parameters.some((p) => p.role === 'click_id' && p.parameter !== ''));
const link = computed(() => trackingLink(session.me?.trackingOrigin ?? '', '…', body));
const tokens = useDeskTokens('conversion');
const context = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'conversion',
  needs: 'source_click_id',
  ownOrigins: [session.me?.trackingOrigin ?? ''],
}));
async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  emit('saved', record);
  open.value = false;
}
</script>
<template>
  <SideSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New source'"
    says="Who sends the visits. Keep their macro list open beside this."
  >
    <form class="form" @submit.prevent="save">
      <fieldset :disabled="readOnly" class="plain">
        <NameField v-model="body.name" kind="source" :error="error('name')" :except="part?.id" />
        <FormField v-slot="{ id }" label="Shape of their macros" hint="How they write a placeholder x.">
          <select :id="id" v-model="body.macroShape" class="mono-input">
            <option v-for="s in macroShapes" :key="s">{{ s }}</option>
          </select>
        </FormField>
        <table class="fields">
          <caption>
            What comes with a visit
          </caption>
          <thead>
            <tr>
              <th scope="col">Parameter</th>
              <th scope="col">Their macro</th>
              <th scope="col" class="is">Is</th>
              <th scope="col">Sub-ID name</th>
              <th><span class="visually-hidden">Remove</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(p, i) in body.parameters" :key="i">
              <td>
                <input
                  v-model="p.parameter"
                  class="mono-input"
                  autocomplete="off"
                  :aria-label="`Parameter ${i + 1}`"
                  :aria-invalid="!!error(`parameters.${i}.parameter`)"
                />
                <p v-if="error(`parameters.${i}.parameter`)" class="error small">
                  {{ error(`parameters.${i}.parameter`) }}
                </p>
              </td>
              <td>
                <input
                  v-model="p.macro"
                  class="mono-input"
                  autocomplete="off"
                  :aria-label="`Macro of parameter ${i + 1}`"
                  @blur="complete(p)"
                />
              </td>
              <td>
                <select v-model="p.role" :aria-label="`Meaning of parameter ${i + 1}`" @change="complete(p)">
                  <option value="click_id">their click ID</option>
                  <option value="cost">the cost</option>
                  <option value="sub">a sub-ID</option>
                </select>
                <p v-if="error(`parameters.${i}.role`)" class="error small">
                  {{ error(`parameters.${i}.role`) }}
                </p>
              </td>
              <td>
                <input
                  v-if="p.role === 'sub'"
                  v-model="p.sub"
                  class="mono-input"
                  placeholder="site"
                  :aria-label="`Sub-ID name of parameter ${i + 1}`"
                  :aria-invalid="!!error(`parameters.${i}.sub`)"
                />
                <p v-if="error(`parameters.${i}.sub`)" class="error small">
                  {{ error(`parameters.${i}.sub`) }}
                </p>
              </td>
              <td>
                <button
                  type="button"
                  class="bare"
                  :aria-label="`Remove parameter ${i + 1}`"
                  @click="body.parameters.splice(i, 1)"
                >
                  <X :size="15" />
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <button
          type="button"
          class="bare add"
          @click="body.parameters.push({ parameter: '', macro: '', role: 'sub', sub: '' })"
        >
          <Plus :size="14" aria-hidden="true" /> Parameter
        </button>
        <p v-if="!hasClick" class="quiet small">
          Without their click ID, {{ body.name || 'the source' }} cannot be told which click converted.
        </p>
        <div class="preview">
          <span class="quiet small">A tracking link will read</span><br /><LinkText
            :link="link"
            expander="they"
          />
        </div>
        <div class="halves">
          <FormField
            v-slot="{ id }"
            label="The cost they tell is"
            :hint="hasCost ? '' : 'Used once a parameter above is the cost.'"
          >
            <select :id="id" v-model="body.costUnit">
              <option value="visit">per visit</option>
              <option value="thousand">per 1 000 visits</option>
              <option value="cents">in cents per visit</option>
              <option value="micros">in millionths per visit</option>
            </select>
          </FormField>
          <FormField
            v-slot="{ id, invalid, described }"
            label="Currency of the cost"
            :error="error('costCurrency')"
          >
            <input
              :id="id"
              v-model.trim="body.costCurrency"
              maxlength="3"
              :aria-invalid="invalid"
              :aria-describedby="described"
            />
          </FormField>
        </div>
        <UrlField
          v-model="body.postbackUrl"
          label="Their postback URL, with our tokens"
          hint="For example …?uid={source_click_id}&sum={payout}. Leave it empty if they want none."
          :error="error('postbackUrl')"
          :context="context"
          :candidates="tokens"
          :disabled="readOnly"
        />
        <div v-if="body.postbackUrl" role="group" aria-label="Told when a conversion becomes" class="row">
          <span>Told once when a conversion becomes</span>
          <label v-for="s in statuses" :key="s" class="row"
            ><input v-model="body.tellStatuses" type="checkbox" :value="s" /> {{ s }}</label
          >
        </div>
        <details>
          <summary>More</summary>
          <FormField v-slot="{ id }" label="Decimal mark of the cost">
            <select :id="id" v-model="body.decimalMark">
              <option value="">as the text makes plain</option>
              <option value=".">point: 1.50</option>
              <option value=",">comma: 1,50</option>
            </select>
          </FormField>
          <FormField v-slot="{ id }" label="Notes">
            <textarea :id="id" v-model="body.notes" rows="2" />
          </FormField>
        </details>
      </fieldset>
      <FormFoot v-if="!readOnly" :form="form" :label="part ? 'Save' : 'Create source'" />
    </form>
  </SideSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.is {
  width: 130px;
}
.add {
  justify-self: start;
}
</style>
