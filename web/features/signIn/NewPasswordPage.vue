<script setup lang="ts">
import { useRouter } from 'vue-router';
import { ask } from '../../app/api.ts';
import NewPasswordBox from '../../ui/NewPasswordBox.vue';

const router = useRouter();
</script>
<template>
  <NewPasswordBox
    title="Choose a new password"
    done="Your password is changed, and all your sessions have ended."
    :save="(body) => ask('usePasswordLink', { body })"
    @sign-in="router.push('/sign-in')"
  />
</template>
