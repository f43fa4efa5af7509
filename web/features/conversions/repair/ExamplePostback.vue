<script setup lang="ts">
/** One postback of a group, read step by step beside it. */
import Button from 'primevue/button';
import type { RepairGroup } from '@tracheon/core/contract';
import { ask } from '../../../app/api.ts';
import { useAnswer } from '../../../base/useAnswer.ts';
import { useSession } from '../../../app/session.ts';
import { count, moment } from '../../../ui/format.ts';
import StateBlock from '../../../ui/StateBlock.vue';
import ReadingSteps from '../ReadingSteps.vue';

const props = defineProps<{ group: RepairGroup }>();
const emit = defineEmits<{ open: [id: string] }>();
const session = useSession();
const {
  answer: whole,
  failure,
  load,
} = useAnswer(
  () => props.group.exampleId,
  (id) => ask('postbackIn', { id }),
);
</script>
<template>
  <section class="sheet pad example" aria-label="Example">
    <h2>{{ group.count === 1 ? 'The postback' : `One of the ${count(group.count)}` }}</h2>
    <StateBlock v-if="failure" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!whole" state="loading" />
    <template v-else>
      <p class="quiet">{{ moment(whole.postback.receivedAt, session.desk.zone) }}</p>
      <code class="raw"
        >{{ whole.path }}{{ whole.postback.rawQuery ? `?${whole.postback.rawQuery}` : ''
        }}{{ whole.postback.body ? ` ${whole.postback.body}` : '' }}</code
      >
      <ReadingSteps :steps="whole.steps" narrow />
      <p>
        <template v-if="whole.visit"
          >The visit is of
          <RouterLink :to="`/campaigns/${whole.visit.campaignId}`">{{ whole.visit.campaignName }}</RouterLink
          >, {{ moment(whole.visit.at, session.desk.zone) }}.
        </template>
        <template v-else>No visit matches it. </template>
        <Button variant="link" @click="emit('open', whole.postback.id)">Open postback</Button>
      </p>
    </template>
  </section>
</template>
<style scoped src="../lists.css"></style>
<style scoped>
.example {
  position: sticky;
  top: 12px;
}
h2 {
  font-size: 14px;
}
p {
  margin: 0;
  font-size: 12.5px;
}
.raw {
  font-size: 12px;
}
</style>
