<script setup lang="ts">
import Button from 'primevue/button';
import SegmentChoice from '../../ui/SegmentChoice.vue';
import ZoneField from '../../ui/ZoneField.vue';
import FieldGroup from '../../ui/FieldGroup.vue';
import InputText from 'primevue/inputtext';
import { deskForm } from '@tracheon/core/contract';
import { nameByRule } from '@tracheon/core/naming';
import { useToast } from 'primevue/usetoast';
import { useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { closeStream } from '../../app/stream.ts';
import { setTheme, theme, type Theme } from '../../base/theme.ts';
import FormField from '../../ui/FormField.vue';
import FormFoot from '../../shared/FormFoot.vue';
import PageHead from '../../ui/PageHead.vue';
import { useDraftForm } from '../../shared/useDraftForm.ts';
import MembersSection from './MembersSection.vue';
import DesksSection from './DesksSection.vue';
import SessionsSection from './SessionsSection.vue';
import DomainsSection from './DomainsSection.vue';
import PasswordForm from '../../ui/PasswordForm.vue';
import BotsSection from './BotsSection.vue';
import PlacesSection from './PlacesSection.vue';
import ServersSection from './ServersSection.vue';
import TokensSection from './TokensSection.vue';
import ProxiesSection from './ProxiesSection.vue';

const session = useSession();
const router = useRouter();
const toast = useToast();
const { name, zone, currency, fallbackUrl, nameRules } = session.desk;
const form = useDraftForm(
  deskForm,
  { name, zone, currency, fallbackUrl, nameRules: { ...nameRules } },
  'desk',
);
const { body, error } = form;
const sampleWords = {
  country: 'NL',
  product: 'Terrarium',
  source: 'Tidepool Native',
  network: 'Larkspur CPA',
  offer: 'Fernway terrarium box',
  page: 'Terrarium story',
  format: 'push',
};
const themes: { value: Theme; label: string }[] = [
  { value: 'system', label: 'Same as the system' },
  { value: 'light', label: 'Light' },
  { value: 'dark', label: 'Dark' },
];

async function save(): Promise<void> {
  if (await form.save(async (value) => void (await ask('changeDesk', { body: value })))) {
    await session.load();
    toast.add({ severity: 'secondary', summary: 'Saved', life: 2500 });
  }
}
async function signOut(): Promise<void> {
  closeStream();
  await session.signOut();
  await router.push('/sign-in');
}
</script>
<template>
  <PageHead
    title="Settings"
    :says="`${session.me?.member.name}, ${session.me?.role} of ${session.desk.name}.`"
  >
    <SegmentChoice :model-value="theme" :options="themes" label="Theme" @update:model-value="setTheme" />
    <Button severity="secondary" @click="signOut">Sign out</Button>
  </PageHead>
  <div class="grid">
    <section class="sheet pad" aria-label="Desk">
      <h2>Desk</h2>
      <form class="stack" @submit.prevent="save">
        <FieldGroup :disabled="!session.isOwner">
          <FormField v-slot="{ id, invalid, described }" label="Name" :error="error('name')"
            ><InputText :id="id" v-model="body.name" :invalid="invalid" :aria-describedby="described"
          /></FormField>
          <FormField
            v-slot="{ id, invalid, described }"
            label="Time zone"
            hint="Report days start at midnight in this zone."
            :error="error('zone')"
          >
            <ZoneField :id="id" v-model="body.zone" :invalid="invalid" :aria-describedby="described" />
          </FormField>
          <FormField
            v-slot="{ id, invalid, described }"
            label="Currency"
            hint="Tracheon shows all amounts in this currency. You can’t change it after the first conversion."
            :error="error('currency')"
          >
            <InputText
              :id="id"
              v-model.trim="body.currency"
              maxlength="3"
              :invalid="invalid"
              :aria-describedby="described"
            />
          </FormField>
          <FormField
            v-slot="{ id, invalid, described }"
            label="Fallback URL"
            hint="Visitors go here when no offer takes them and the campaign has no fallback of its own. If empty, visitors see a short notice."
            :error="error('fallbackUrl')"
          >
            <InputText
              :id="id"
              v-model.trim="body.fallbackUrl"
              class="mono-input"
              :invalid="invalid"
              :aria-describedby="described"
            />
          </FormField>
          <FormField
            v-for="(word, ruled) in { campaign: 'Campaign name rule', offer: 'Offer name rule' }"
            :key="ruled"
            v-slot="{ id, invalid, described }"
            :label="word"
            :hint="`The rule suggests: ${nameByRule(body.nameRules[ruled], sampleWords)}`"
            :error="error(`nameRules.${ruled}`)"
          >
            <InputText
              :id="id"
              v-model="body.nameRules[ruled]"
              class="mono-input"
              autocomplete="off"
              :invalid="invalid"
              :aria-describedby="described"
            />
          </FormField>
        </FieldGroup>
        <FormFoot v-if="session.isOwner" :form="form" label="Save desk" />
        <p v-else class="quiet">Only an owner can change the desk.</p>
      </form>
    </section>
    <div class="stack">
      <DomainsSection />
      <DesksSection />
      <PasswordForm :change="(body) => ask('changePassword', { body })" />
      <SessionsSection />
      <MembersSection />
      <TokensSection />
      <ProxiesSection />
      <BotsSection />
      <PlacesSection />
      <ServersSection />
    </div>
  </div>
</template>
<style scoped>
.grid {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.4fr);
  gap: 12px;
  align-items: start;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 8px 0 0;
  display: grid;
  gap: 6px;
}
@media (max-width: 900px) {
  .grid {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
