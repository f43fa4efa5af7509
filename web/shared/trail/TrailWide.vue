<script setup lang="ts">
/** The trail as stations joined by wires: the way out on the first row, the way back on the second. */
import { isWayBack, type Hop, type Lack } from '@tracheon/core/trail';
import { computed } from 'vue';
import LinkText from '../../ui/LinkText.vue';
import TrailLacks from './TrailLacks.vue';
import { cutMiddle, hopNote, hopTitle } from './trailWords.ts';

const props = defineProps<{ hops: Hop[]; ids?: Partial<Record<Lack['at'], string>> }>();
const out = computed(() => props.hops.filter((h) => !isWayBack(h.key)));
const back = computed(() => props.hops.filter((h) => isWayBack(h.key)));
const breaks = (h: Hop): boolean => h.lacks.some((l) => l.breaks);
/** What is broken first. */
const lacking = computed(() =>
  props.hops.filter((h) => h.lacks.length > 0).sort((a, b) => Number(breaks(b)) - Number(breaks(a))),
);
const stateWords = { known: '', waiting: ', waiting', missing: ', missing' };
</script>
<template>
  <div class="trail">
    <div v-for="(row, i) in [out, back]" :key="i" class="way" :class="{ back: i === 1 }">
      <div v-if="row[0]" class="station" :title="row[0].from.name">
        <strong>{{ row[0].from.name }}</strong><span class="quiet">{{ row[0].from.says }}</span>
      </div>
      <ol>
        <li v-for="h in row" :key="h.key" class="hop" :class="h.state">
          <div class="wire">
            <span class="visually-hidden">{{ hopTitle(h) }}{{ stateWords[h.state] }}:</span>
            <span class="above">
              <span v-if="hopNote(h)" class="quiet">{{ hopNote(h) }}</span>
              <span
                v-for="c in h.carries.slice(0, 1)"
                :key="c.name"
                class="carried"
                tabindex="0"
                :title="`${c.name} ${c.value}`"
                ><code class="quiet">{{ cutMiddle(c.name) }}</code>
                <LinkText tight :link="c.value" :expander="h.expander"
              /></span>
            </span>
            <span class="line" aria-hidden="true" />
            <span class="below">
              <RouterLink v-if="h.to_requests && h.seen" :to="h.to_requests">{{ h.seen }}</RouterLink
              ><span v-else class="quiet">{{ h.seen }}</span>
            </span>
          </div>
          <div class="station" :title="h.to.name">
            <strong>{{ h.to.name }}</strong><span class="quiet">{{ h.to.says }}</span>
          </div>
        </li>
      </ol>
    </div>
    <div v-if="lacking.length" class="said" :class="{ breaks: lacking.some(breaks) }">
      <div v-for="h in lacking" :key="h.key">
        <strong>{{ hopTitle(h) }}</strong>
        <TrailLacks :lacks="h.lacks" v-bind="ids ? { ids } : {}" />
      </div>
    </div>
  </div>
</template>
<style scoped>
.trail {
  /* Narrower rooms take from stations and wires alike; nothing reaches into its neighbour. */
  container-type: inline-size;
  display: grid;
  gap: 14px;
}
.way {
  --station: clamp(96px, 11.5cqw, 118px);
}
.way {
  display: flex;
  align-items: stretch;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex: 1;
  min-width: 0;
}
.way.back,
.back ol {
  flex-direction: row-reverse;
}
.hop {
  display: flex;
  flex: 1 1 0;
  align-items: stretch;
  min-width: 0;
}
.back .hop {
  flex-direction: row-reverse;
}
.station {
  display: grid;
  align-content: center;
  gap: 0;
  width: var(--station);
  flex: none;
  border: 1.5px solid var(--ink);
  border-radius: 5px;
  background: var(--ground);
  padding: 5px 8px;
  line-height: 1.3;
  overflow-wrap: anywhere;
}
.station strong,
.station span {
  overflow: hidden;
  text-overflow: ellipsis;
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
}
.station span {
  font-size: 11.5px;
}
.wire {
  flex: 1;
  min-width: 0;
  display: grid;
  grid-template-rows: 1fr auto 1fr;
  grid-template-columns: minmax(0, 1fr);
  justify-items: center;
  text-align: center;
  font-size: 12px;
  position: relative;
}
.above,
.below {
  max-width: 100%;
  overflow: hidden;
}
.above {
  align-self: end;
  padding: 0 8px 4px;
  line-height: 1.6;
}
.below {
  align-self: start;
  padding: 3px 8px 0;
  font-size: 11.5px;
}
.below a {
  color: var(--quiet);
}
.below a:hover,
.below a:focus-visible {
  color: var(--action);
}
.carried {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
}
.carried code,
.carried :deep(.link) {
  display: block;
  max-width: 100%;
  margin: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
/* Whole on focus, over what is beside it. */
.above:has(.carried:focus-visible) {
  overflow: visible;
}
.carried:focus-visible {
  overflow: visible;
  position: relative;
  z-index: 2;
  background: var(--sheet);
}
.carried:focus-visible code,
.carried:focus-visible :deep(.link) {
  overflow: visible;
}
.line {
  width: 100%;
  border-top: 1.5px solid var(--ink);
  position: relative;
}
.line::after {
  content: '';
  position: absolute;
  right: -1px;
  top: -5px;
  border: 4px solid transparent;
  border-left: 7px solid var(--ink);
  border-right: 0;
}
.back .line::after {
  right: auto;
  left: -1px;
  border: 4px solid transparent;
  border-right: 7px solid var(--ink);
  border-left: 0;
}
.waiting .line {
  border-top-color: var(--border);
  border-top-style: dotted;
}
.missing .line {
  border-top-color: var(--error);
  border-top-style: dashed;
}
.missing .line::after {
  border-left-color: var(--error);
}
.back .missing .line::after {
  border-left-color: transparent;
  border-right-color: var(--error);
}
.missing .below a {
  color: var(--error);
  font-weight: 600;
}
.said > div {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 10px;
  font-size: 12px;
  align-items: baseline;
}
.said.breaks {
  background: var(--warn-ground);
}
.said {
  border-top: 1px solid var(--hairline);
  margin: 0 -14px -12px;
  padding: 8px 14px;
  display: grid;
  gap: 6px;
  border-radius: 0 0 6px 6px;
}
</style>
