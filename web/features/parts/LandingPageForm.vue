<script setup lang="ts">
/** A landing page: its address, what has to stand on it, and whether that is really there. */
import NumberField from '../../ui/NumberField.vue';
import FoldBlock from '../../ui/FoldBlock.vue';
import Textarea from 'primevue/textarea';
import { landingPageInput, wholeBody, type PartRecord } from '@tracheon/core/contract';
import type { LinkContext } from '@tracheon/core/links';
import CountriesField from '../../ui/CountriesField.vue';
import { computed, nextTick, ref } from 'vue';
import { useSession } from '../../app/session.ts';
import FormField from '../../ui/FormField.vue';
import DraftSheet from '../../shared/DraftSheet.vue';
import NameField from '../../shared/NameField.vue';
import TagsField from '../../shared/TagsField.vue';
import { usePartForm } from '../../shared/usePartForm.ts';
import { useDeskTokens } from '../../shared/urlField/deskTokens.ts';
import UrlField from '../../shared/urlField/UrlField.vue';
import OnThePage from './OnThePage.vue';

const props = defineProps<{ part?: PartRecord<'landing-page'> }>();
const open = defineModel<boolean>('open', { required: true });
const emit = defineEmits<{ saved: [record: PartRecord] }>();
const session = useSession();
const tokens = useDeskTokens('visit');
const blank = wholeBody('landing-page', { name: '', url: '' });
const form = usePartForm('landing-page', landingPageInput, blank, props.part);
const { body, error } = form;
const readOnly = computed(() => !session.canEdit);
const saved = ref<PartRecord<'landing-page'> | undefined>(props.part);
const context = computed<LinkContext>(() => ({
  expander: 'we',
  place: 'visit',
  ownOrigins: session.me?.trackingOrigins ?? [],
}));

async function save(): Promise<void> {
  const record = await form.save();
  if (!record) return;
  const isNew = !props.part;
  saved.value = record;
  emit('saved', record);
  // A new page is not done yet: its buttons want their links.
  if (!isNew) return void (open.value = false);
  await nextTick();
  document.getElementById('on-the-page')?.scrollIntoView();
}
</script>
<template>
  <DraftSheet
    v-model:open="open"
    :title="part ? part.body.name : 'New landing page'"
    says="A page that visitors see before the offer. Its buttons must link to Tracheon."
    :form="form"
    :action="part ? 'Save' : 'Create landing page'"
    :read-only="readOnly"
    :save="save"
  >
    <template #before>
      <OnThePage v-if="saved" id="on-the-page" :part="saved" />
    </template>
    <NameField v-model="body.name" kind="landing-page" :error="error('name')" :except="part?.id" />
    <UrlField
      v-model="body.url"
      label="Page URL"
      hint="Tracheon adds the click ID automatically."
      :error="error('url')"
      :context="context"
      :candidates="tokens"
      :disabled="readOnly"
    />
    <FormField
      v-slot="{ id, invalid, described }"
      label="Buttons"
      hint="Each button gets its own link, so you can compare their clicks."
      :error="error('buttons')"
    >
      <NumberField
        :id="id"
        v-model="body.buttons"
        min="1"
        max="20"
        class="few"
        :invalid="invalid"
        :aria-describedby="described"
      />
    </FormField>
    <CountriesField
      v-model="body.countries"
      hint="Used for names, suggestions and warnings. Leave empty for any country."
    />
    <FoldBlock title="More" :open="body.fallbackUrl !== '' || body.notes !== ''">
      <UrlField
        v-model="body.fallbackUrl"
        label="Fallback for unidentified clicks"
        hint="If empty, visitors go to the offer when the page has only one; otherwise they see a short notice."
        :error="error('fallbackUrl')"
        :context="context"
        :candidates="tokens"
        :disabled="readOnly"
      />
      <TagsField v-model="body.tags" :error="error('tags')" />
      <FormField v-slot="{ id }" label="Notes">
        <Textarea :id="id" v-model="body.notes" rows="2" />
      </FormField>
    </FoldBlock>
  </DraftSheet>
</template>
<style scoped src="./partForm.css"></style>
<style scoped>
.wide {
  width: 100%;
}
.few {
  width: 80px;
}
</style>
