<script setup lang="ts">
/** One's own password. Never a draft: nothing of it is kept on the browser. */
import Button from 'primevue/button';
import { passwordInput } from '@tracheon/core/contract';
import { useToast } from 'primevue/usetoast';
import { ref } from 'vue';
import FormField from './FormField.vue';
import SecretField from './SecretField.vue';

const props = defineProps<{ change: (input: { current: string; next: string }) => Promise<unknown> }>();
const toast = useToast();
const input = ref({ current: '', next: '' });
const errors = ref<Record<string, string>>({});
const busy = ref(false);

async function save(): Promise<void> {
  const parsed = passwordInput.safeParse(input.value);
  errors.value = Object.fromEntries((parsed.error?.issues ?? []).map((i) => [i.path.join('.'), i.message]));
  if (!parsed.success || busy.value) return;
  busy.value = true;
  try {
    await props.change(input.value);
    input.value = { current: '', next: '' };
    toast.add({
      severity: 'secondary',
      summary: 'Password changed',
      detail: 'Your other sessions have ended.',
      life: 4000,
    });
  } catch (error) {
    const { fields = [], message } = error as Error & { fields?: { path: string; message: string }[] };
    errors.value = fields.length
      ? Object.fromEntries(fields.map((f) => [f.path, f.message]))
      : { current: message };
  } finally {
    busy.value = false;
  }
}
</script>
<template>
  <section class="sheet pad" aria-label="Your password">
    <h2>Your password</h2>
    <form @submit.prevent="save">
      <FormField v-slot="{ id, invalid, described }" label="Current password" :error="errors.current">
        <SecretField
          :id="id"
          v-model="input.current"
          autocomplete="current-password"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <FormField
        v-slot="{ id, invalid, described }"
        label="New password"
        hint="At least 12 characters."
        :error="errors.next"
      >
        <SecretField
          :id="id"
          v-model="input.next"
          autocomplete="new-password"
          :invalid="invalid"
          :aria-describedby="described"
        />
      </FormField>
      <Button severity="secondary" type="submit" :disabled="busy">{{
        busy ? 'Changing …' : 'Change password'
      }}</Button>
    </form>
  </section>
</template>
<style scoped>
form {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  gap: 4px 12px;
  margin-top: 8px;
}
button {
  justify-self: start;
}
</style>
