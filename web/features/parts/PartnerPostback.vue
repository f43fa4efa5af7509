<script setup lang="ts">
/** The postback that a partner has set on the partner page, for members who answer the partner's questions. */
import type { PartRecord, PostbackOfPartner } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import { moment } from '../../ui/format.ts';
import LinkText from '../../ui/LinkText.vue';
import StateBlock from '../../ui/StateBlock.vue';

const props = defineProps<{ part: PartRecord<'partner'> }>();
const session = useSession();
const { answer, failure, load } = useAnswer(
  () => props.part.id,
  (id) => ask('postbackOfPartner', { id }),
);
onNews(['partners'], load);
const how: Record<PostbackOfPartner['method'], string> = {
  get: 'Our server calls this URL',
  pixel: 'The buyer’s browser loads this URL as an image',
};
const says = ({ method, statuses }: PostbackOfPartner): string =>
  `${how[method]} when a payout becomes ${new Intl.ListFormat('en', { type: 'disjunction' }).format(statuses)}.`;
</script>
<template>
  <StateBlock v-if="failure && !answer" state="failed" :words="failure" @again="load" />
  <StateBlock v-else-if="!answer" state="loading" />
  <p v-else-if="!answer.postback" class="quiet">
    {{ part.body.name }} has set no postback. It can set one on the partner page, under Postback.
  </p>
  <template v-else>
    <p><LinkText :link="answer.postback.url" expander="we" /></p>
    <p>{{ says(answer.postback) }}</p>
    <p class="quiet">
      {{ answer.postback.changedBy || 'The partner' }} set it on the partner page ({{
        moment(answer.postback.changedAt, session.desk.zone)
      }}).
      <RouterLink :to="`/conversions/postbacks-out?search=${encodeURIComponent(part.body.name)}`"
        >Postbacks out to {{ part.body.name }}</RouterLink
      >
    </p>
  </template>
</template>
