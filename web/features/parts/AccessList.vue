<script setup lang="ts">
/** Which partners may promote an offer, or what a partner may promote; asked for, given, refused, ended. */
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import {
  accessMoves,
  needsApproval,
  offerAccess,
  type AccessRow,
  type AccessState,
} from '@tracheon/core/contract';
import { computed, ref } from 'vue';
import { ask } from '../../app/api.ts';
import { useSession } from '../../app/session.ts';
import { onNews } from '../../app/stream.ts';
import { useAnswer } from '../../base/useAnswer.ts';
import FormField from '../../ui/FormField.vue';
import { moment } from '../../ui/format.ts';
import StateBlock from '../../ui/StateBlock.vue';
import { accessAct, accessSays } from './accessWords.ts';

const props = defineProps<{
  /** Of one of them; of neither: what partners have asked for. */
  partnerId?: string;
  offerId?: string;
}>();
const session = useSession();
const { answer, failure, load } = useAnswer(
  () => props.partnerId || props.offerId || 'asked',
  () => ask('listOfferAccess', { query: { partnerId: props.partnerId ?? '', offerId: props.offerId ?? '' } }),
);
onNews(['partners', 'parts'], load);
const isOfBoth = computed(() => !props.partnerId && !props.offerId);
/** Whoever asked for an offer that no longer takes requests waits for no answer. */
const rows = computed(() =>
  (answer.value ?? []).filter((r) => !isOfBoth.value || (r.state === 'asked' && needsApproval(r.access))),
);
const nameOf = (r: AccessRow): string =>
  props.partnerId ? r.offerName : props.offerId ? r.partnerName : `${r.partnerName} asks for ${r.offerName}`;

/** Of an offer that is open to all, one takes access away; of others, one gives it. */
const movesOf = ({ access, state }: AccessRow): readonly AccessState[] =>
  state === 'none' ? [access === 'open' ? 'ended' : 'approved'] : accessMoves[state];
const wrong = ref('');
/** The row and the step that want a reason. */
const asksReason = ref<{ row: AccessRow; to: AccessState } | null>(null);
const reason = ref('');
async function decide(row: AccessRow, to: AccessState, why = ''): Promise<void> {
  wrong.value = '';
  try {
    await ask('decideOfferAccess', {
      body: { offerId: row.offerId, partnerId: row.partnerId, from: row.state, to, reason: why },
    });
  } catch (error) {
    wrong.value = (error as Error).message;
  }
  asksReason.value = null;
  reason.value = '';
  await load();
}
/** What the partner reads as a no has a reason. */
function step(row: AccessRow, to: AccessState): void {
  if (to === 'refused' || to === 'ended') asksReason.value = { row, to };
  else void decide(row, to);
}
</script>
<template>
  <div class="list" :class="{ 'sheet pad': isOfBoth && rows.length > 0 }">
    <h2 v-if="isOfBoth && rows.length > 0">Requests</h2>
    <StateBlock v-if="failure && !answer" state="failed" :words="failure" @again="load" />
    <StateBlock v-else-if="!answer && !isOfBoth" state="loading" />
    <p v-else-if="rows.length === 0 && !isOfBoth" class="quiet">
      {{
        partnerId
          ? 'No offer pays partners yet. Set “Partner payouts” in an offer.'
          : 'There are no partners yet. Add one under Parts.'
      }}
    </p>
    <ul
      v-else-if="rows.length > 0"
      class="accesses"
      :aria-label="isOfBoth ? 'Requests of partners' : 'Access'"
    >
      <li v-for="r in rows" :key="r.id">
        <div class="row spread">
          <span
            ><strong>{{ nameOf(r) }}</strong>
            <span v-if="!isOfBoth" class="quiet"> · {{ accessSays(r) }}</span>
            <span v-if="r.askedAt && r.state === 'asked'" class="quiet">
              · {{ r.askedBy ? `${r.askedBy}, ` : '' }}{{ moment(r.askedAt, session.desk.zone) }}</span
            >
            <span v-if="r.decidedBy && r.state !== 'asked'" class="quiet">
              · {{ r.decidedBy }}, {{ moment(r.decidedAt!, session.desk.zone) }}</span
            ></span
          >
          <span v-if="session.canEdit && r.access !== 'hidden'" class="row">
            <Button
              v-for="to in movesOf(r)"
              :key="to"
              size="small"
              :severity="to === 'approved' ? undefined : 'secondary'"
              :aria-label="`${accessAct(r.state, to)}: ${r.partnerName}, ${r.offerName}`"
              @click="step(r, to)"
              >{{ accessAct(r.state, to) }}</Button
            >
          </span>
        </div>
        <p v-if="r.note && r.state === 'asked'" class="note">“{{ r.note }}”</p>
        <p v-if="r.reason" class="quiet">Reason: {{ r.reason }}</p>
        <p v-if="r.hasTerms && r.state === 'approved'" class="quiet">
          {{
            r.termsAcceptedAt
              ? `${r.termsAcceptedBy || 'The partner'} accepted the terms (${moment(r.termsAcceptedAt, session.desk.zone)}).`
              : 'The partner has not accepted the terms as they are now.'
          }}
        </p>
        <!-- No form: this stands inside that of an offer. -->
        <div v-if="asksReason?.row.id === r.id" class="row">
          <FormField v-slot="{ id }" label="Reason, shown to the partner">
            <InputText
              :id="id"
              v-model="reason"
              maxlength="500"
              autofocus
              @keydown.enter.prevent="decide(r, asksReason.to, reason)"
            />
          </FormField>
          <Button size="small" @click="decide(r, asksReason.to, reason)">{{
            accessAct(r.state, asksReason.to)
          }}</Button>
          <Button size="small" severity="secondary" @click="asksReason = null">Cancel</Button>
        </div>
      </li>
    </ul>
    <p v-if="wrong" class="error" role="alert">{{ wrong }}</p>
    <p v-if="offerId && rows[0] && rows[0].access !== 'hidden'" class="quiet">
      {{ offerAccess[rows[0].access].meaning }}
    </p>
  </div>
</template>
<style scoped>
.accesses {
  list-style: none;
  margin: 0;
  padding: 0;
}
.accesses li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.note {
  font-style: italic;
}
</style>
