<script setup lang="ts">
import CopyButton from '../../shared/CopyButton.vue';
import LinkText from '../../shared/LinkText.vue';

defineProps<{ url: string; name: string; unsaved?: boolean }>();
</script>
<template>
  <section class="hand" aria-label="Postback URL">
    <div class="row spread">
      <strong>Postback URL to hand over</strong>
      <CopyButton v-if="!unsaved" :text="url" label="Copy postback URL" :hint="`Postback URL for ${name}`" />
    </div>
    <LinkText :link="url" expander="they" />
    <p class="quiet small">
      {{
        unsaved
          ? 'Its key is made when you create the network.'
          : `Paste it into the global postback of ${name}, or mail it to your account manager. Their macros stay as they are.`
      }}
    </p>
  </section>
</template>
<style scoped>
.hand {
  background: var(--tint);
  border-radius: 6px;
  padding: 10px 12px;
  margin-bottom: 12px;
}
.small {
  font-size: 12px;
}
</style>
