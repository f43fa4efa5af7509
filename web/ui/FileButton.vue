<script setup lang="ts">
/** Picks one file of the member's machine and hands it on; nothing is uploaded by itself. */
import FileUpload, { type FileUploadSelectEvent } from 'primevue/fileupload';

defineProps<{ label: string; accept: string }>();
const emit = defineEmits<{ pick: [file: File] }>();
function picked(event: FileUploadSelectEvent): void {
  const [file] = event.files as File[];
  if (file) emit('pick', file);
}
</script>
<template>
  <FileUpload
    mode="basic"
    custom-upload
    auto
    :accept="accept"
    :choose-label="label"
    :choose-button-props="{ severity: 'secondary' }"
    @select="picked"
  />
</template>
