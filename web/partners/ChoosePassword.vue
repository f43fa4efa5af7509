<script setup lang="ts">
import { useRouter } from 'vue-router';
import NewPasswordBox from '../ui/NewPasswordBox.vue';
import { ask } from './ask.ts';

const router = useRouter();
</script>
<template>
  <NewPasswordBox
    title="Choose a password"
    done="Your password is saved. Sign in with it."
    :save="(body) => ask('usePasswordLink', { body })"
    @sign-in="router.push('/sign-in')"
  />
</template>
