<script setup lang="ts">
/** The person's own: password, light or dark. */
import { setTheme, theme, type Theme } from '../base/theme.ts';
import PageHead from '../ui/PageHead.vue';
import PasswordForm from '../ui/PasswordForm.vue';
import SegmentChoice from '../ui/SegmentChoice.vue';
import { ask } from './ask.ts';
import { me } from './me.ts';

const themes: { value: Theme; label: string }[] = [
  { value: 'system', label: 'As the system' },
  { value: 'light', label: 'Light' },
  { value: 'dark', label: 'Dark' },
];
</script>
<template>
  <PageHead title="Account" :says="`${me?.user.name}, ${me?.user.email}`">
    <SegmentChoice
      :model-value="theme"
      :options="themes"
      label="Light or dark"
      @update:model-value="(next) => setTheme(next as Theme)"
    />
  </PageHead>
  <PasswordForm :change="(body) => ask('changePassword', { body })" />
</template>
