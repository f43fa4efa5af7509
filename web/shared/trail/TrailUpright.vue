<script setup lang="ts">
/** The trail as a list: a round mark for what is known, a hollow one for what is waiting, a diamond for what is missing. */
import FoldBlock from '../../ui/FoldBlock.vue';
import type { Hop, Lack, TravelledHop } from '@tracheon/core/trail';
import { useSession } from '../../app/session.ts';
import { moment } from '../../ui/format.ts';
import LinkText from '../../ui/LinkText.vue';
import TrailLacks from './TrailLacks.vue';
import { hopNote, hopTitle } from './trailWords.ts';

defineProps<{ hops: (Hop | TravelledHop)[]; ids?: Partial<Record<Lack['at'], string>> }>();
const session = useSession();
const stateWords = { known: 'known', waiting: 'waiting', missing: 'missing' };
const at = (h: Hop | TravelledHop): string => ('at' in h && h.at ? moment(h.at, session.desk.zone) : '');
const raw = (h: Hop | TravelledHop): string => ('raw' in h ? h.raw : '');
</script>
<template>
  <ol class="upright">
    <li v-for="h in hops" :key="h.key" :class="h.state">
      <span class="mark" aria-hidden="true" />
      <div class="hop">
        <p class="title">
          <strong>{{ hopTitle(h) }}</strong><span class="visually-hidden">, {{ stateWords[h.state] }}</span>
          <span v-if="at(h)" class="when quiet">{{ at(h) }}</span>
        </p>
        <p v-if="hopNote(h) && !h.seen" class="quiet small">{{ hopNote(h) }}</p>
        <p v-for="c in h.carries" :key="c.name" class="small carries">
          <code class="quiet">{{ c.name }}</code> <LinkText tight :link="c.value" :expander="h.expander" />
        </p>
        <p v-if="h.seen" class="quiet small">
          <RouterLink v-if="h.to_requests" :to="h.to_requests">{{ h.seen }}</RouterLink
          ><template v-else>{{ h.seen }}</template>
        </p>
        <TrailLacks :lacks="h.lacks" v-bind="ids ? { ids } : {}" />
        <FoldBlock title="Raw request" v-if="raw(h)" class="raw">
          <code>{{ raw(h) }}</code>
        </FoldBlock>
      </div>
    </li>
  </ol>
</template>
<style scoped>
.upright {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 8px;
  position: relative;
  padding-bottom: 10px;
}
/* The wire from this mark to the next. */
li:not(:last-child)::before {
  content: '';
  position: absolute;
  left: 7px;
  top: 12px;
  bottom: -6px;
  border-left: 1.5px solid var(--ink);
}
li.waiting:not(:last-child)::before {
  border-left-color: var(--hairline);
}
li.missing:not(:last-child)::before {
  border-left: 1.5px dashed var(--error);
}
.mark {
  position: relative;
  width: 11px;
  height: 11px;
  margin: 4px 2px 0;
  border-radius: 50%;
  background: var(--ink);
  border: 1.5px solid var(--ink);
}
.waiting .mark {
  background: var(--sheet);
}
.missing .mark {
  background: var(--sheet);
  border-color: var(--error);
  border-radius: 0;
  transform: rotate(45deg);
}
.hop {
  min-width: 0;
}
.title {
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
  justify-content: space-between;
}
.waiting .title strong {
  font-weight: 600;
  color: var(--quiet);
}
.small {
  font-size: 12px;
}
.carries {
  line-height: 1.7;
}
.when {
  font-size: 12px;
  font-variant-numeric: tabular-nums;
}
.raw {
  border: 0;
  padding: 0;
  font-size: 12px;
}
.raw summary {
  font-weight: 500;
  color: var(--quiet);
  padding: 0;
}
.raw code {
  display: block;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
  background: var(--tint);
  padding: 4px 8px;
  border-radius: 4px;
}
</style>
