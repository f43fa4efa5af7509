<script setup lang="ts">
/** The offer's page as a visitor from a country sees it, through a proxy of the desk. */
import Button from 'primevue/button';
import type { LookAnswer, ProxyRow } from '@tracheon/core/contract';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { ask, type ApiError } from '../../app/api.ts';
import FollowedHops from '../../shared/FollowedHops.vue';
import FormField from '../../ui/FormField.vue';
import { countryName } from '../../ui/format.ts';
import PickOne from '../../ui/PickOne.vue';

const props = defineProps<{ offerId: string }>();
const proxies = shallowRef<ProxyRow[]>([]);
const country = ref('');
const device = ref<'phone' | 'iphone' | 'tablet' | 'desktop'>('phone');
const seen = shallowRef<LookAnswer | null>(null);
const failure = ref('');
const busy = ref(false);
onMounted(async () => {
  try {
    proxies.value = await ask('listProxies');
  } catch (error) {
    failure.value = `Tracheon could not load the proxies. ${(error as Error).message}`;
  }
});
const countries = computed(() => [
  { value: '', label: 'here, without a proxy' },
  ...proxies.value.map((p) => ({ value: p.country, label: countryName(p.country) })),
]);
async function look(): Promise<void> {
  if (busy.value) return;
  [busy.value, failure.value, seen.value] = [true, '', null];
  try {
    seen.value = await ask('lookAtOffer', {
      id: props.offerId,
      body: { country: country.value, device: device.value },
    });
  } catch (error) {
    const { fields = [], message } = error as ApiError;
    failure.value = fields[0]?.message ?? message;
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <section aria-label="Look as a visitor">
    <p class="quiet">
      Tracheon opens the saved link with a click ID of no visit. It runs no scripts, and shows no pictures.
      <template v-if="proxies.length === 0"
        >Without a proxy the partner sees this server’s own country. Add proxies in Settings.</template
      >
    </p>
    <div class="row from">
      <FormField v-slot="{ id }" label="From">
        <PickOne :id="id" v-model="country" :options="countries" />
      </FormField>
      <FormField v-slot="{ id }" label="Device">
        <PickOne
          :id="id"
          v-model="device"
          :options="[
            { value: 'phone', label: 'phone' },
            { value: 'iphone', label: 'iPhone' },
            { value: 'tablet', label: 'tablet' },
            { value: 'desktop', label: 'desktop' },
          ]"
        />
      </FormField>
      <Button severity="secondary" :disabled="busy" @click="look">{{
        busy ? 'Looking …' : 'Look as a visitor'
      }}</Button>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <template v-if="seen">
      <FollowedHops :hops="seen.hops" :is-found="seen.isFound" :sentence="seen.sentence" />
      <h3 v-if="seen.title">{{ seen.title }}</h3>
      <p v-if="seen.text" class="text">{{ seen.text }}</p>
      <p v-if="!seen.isThroughProxy" class="quiet">
        Visitors from other countries may get another page. Only a proxy there can tell.
      </p>
    </template>
  </section>
</template>
<style scoped>
.from {
  align-items: end;
}
.from button {
  margin-bottom: 21px;
}
.text {
  max-height: 180px;
  overflow: auto;
  border: 1px solid var(--hairline);
  padding: 8px 12px;
}
</style>
