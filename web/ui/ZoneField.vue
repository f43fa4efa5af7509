<script setup lang="ts">
/** A time zone by its IANA name, searched as one types. */
import PickOne from './PickOne.vue';

const props = defineProps<{
  id?: string;
  invalid?: boolean;
  ariaDescribedby?: string;
  emptyLabel?: string;
}>();
const model = defineModel<string>({ required: true });
const choices = [
  ...(props.emptyLabel ? [{ value: '', label: props.emptyLabel }] : []),
  // The runtime's own list leaves UTC out.
  ...[...new Set(['UTC', ...Intl.supportedValuesOf('timeZone'), ...(model.value ? [model.value] : [])])].map(
    (zone) => ({ value: zone, label: zone }),
  ),
];
</script>
<template>
  <PickOne
    :id="id"
    v-model="model"
    :options="choices"
    :invalid="invalid"
    :aria-describedby="ariaDescribedby"
  />
</template>
