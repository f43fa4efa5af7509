<script setup lang="ts">
/** Somebody else has saved this record meanwhile: both versions, field by field, and the two ways on. */
import type { PartRecord } from '@tracheon/core/contract';
import { CircleAlert } from '@lucide/vue';
import { computed } from 'vue';
import { useParts } from '../app/parts.ts';
import { useSession } from '../app/session.ts';
import { differences } from './differences.ts';
import { moment } from './format.ts';

const props = defineProps<{ mine: object; theirs: PartRecord }>();
defineEmits<{ takeTheirs: []; keepMine: [] }>();
const parts = useParts();
const session = useSession();
const rows = computed(() =>
  differences(props.mine, props.theirs.body, (id) => parts.byId.get(id)?.body.name),
);
</script>
<template>
  <section class="conflict" role="alert" aria-label="Both versions">
    <p class="error row">
      <CircleAlert :size="16" aria-hidden="true" /> Somebody else has saved this record at
      {{ moment(theirs.updatedAt, session.desk.zone) }}. Nothing of yours is lost.
    </p>
    <table v-if="rows.length">
      <caption class="visually-hidden">
        What differs
      </caption>
      <thead>
        <tr>
          <th scope="col">Field</th>
          <th scope="col">Yours, not saved</th>
          <th scope="col">Theirs, saved</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in rows" :key="d.field">
          <th scope="row">{{ d.field }}</th>
          <td>{{ d.mine }}</td>
          <td>{{ d.theirs }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">Both say the same.</p>
    <div class="row">
      <button type="button" @click="$emit('takeTheirs')">Take theirs</button>
      <button type="button" @click="$emit('keepMine')">Go on with mine</button>
      <span class="quiet">Going on with yours replaces theirs once you save.</span>
    </div>
  </section>
</template>
<style scoped>
.conflict {
  border: 1px solid var(--error);
  border-radius: 6px;
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
td {
  overflow-wrap: anywhere;
  vertical-align: top;
}
tbody th {
  vertical-align: top;
  white-space: normal;
  color: var(--ink);
}
</style>
