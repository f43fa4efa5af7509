<script setup lang="ts">
/** The shares of a split as one bar. Where they come from weights, the borders between them can be dragged or moved by keys. */
import { computed, ref } from 'vue';
import { percent } from '../../../ui/format.ts';
import { moveBorder } from './weights.ts';

const props = defineProps<{
  /** In percent, by pairing. */
  shares: readonly number[];
  letters: readonly string[];
  /** Of the branch, in labels. */
  of: string;
  /** null: the shares can't be dragged. */
  weights: readonly number[] | null;
}>();
const emit = defineEmits<{ change: [number[]] }>();
const bar = ref<HTMLElement | null>(null);
const shown = computed(() => props.shares.flatMap((share, at) => (share > 0 ? [{ at, share }] : [])));
/** Between each two neighbours that take visitors. */
const borders = computed(() =>
  props.weights === null
    ? []
    : shown.value.slice(1).map(({ at: after }, i) => ({
        before: shown.value[i]!.at,
        after,
        left: shown.value.slice(0, i + 1).reduce((sum, s) => sum + s.share, 0),
      })),
);
/** What a piece of the bar has room for. */
const label = (at: number, share: number): string =>
  share >= 8 ? `${props.letters[at]} ${percent(share / 100, 0)}` : share >= 3 ? props.letters[at]! : '';
const LARGE_STEP = 10;
function byKey(event: KeyboardEvent, border: { before: number; after: number }): void {
  const step = event.shiftKey ? LARGE_STEP : 1;
  const by = { ArrowLeft: -step, ArrowDown: -step, ArrowRight: step, ArrowUp: step }[event.key];
  if (by === undefined || !props.weights) return;
  event.preventDefault();
  emit('change', moveBorder(props.weights, border.before, border.after, by));
}
let dragged: { before: number; after: number; fromX: number; weights: number[] } | null = null;
function grab(event: PointerEvent, { before, after }: { before: number; after: number }): void {
  if (!props.weights) return;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  dragged = { before, after, fromX: event.clientX, weights: [...props.weights] };
}
function drag(event: PointerEvent): void {
  if (!dragged || !bar.value) return;
  const by = (100 * (event.clientX - dragged.fromX)) / bar.value.clientWidth;
  emit('change', moveBorder(dragged.weights, dragged.before, dragged.after, by));
}
const drop = (): void => {
  dragged = null;
};
</script>
<template>
  <div ref="bar" class="shares">
    <div class="pieces" role="img" :aria-label="`Shares of ${of}`">
      <span v-for="{ at, share } in shown" :key="at" :style="{ flexGrow: share }" class="share">{{
        label(at, share)
      }}</span>
    </div>
    <span
      v-for="border in borders"
      :key="`${border.before}-${border.after}`"
      class="border"
      role="slider"
      tabindex="0"
      :style="{ left: `${border.left}%` }"
      :aria-label="`Border between ${letters[border.before]} and ${letters[border.after]} of ${of}`"
      aria-valuemin="1"
      aria-valuemax="99"
      :aria-valuenow="Math.round(shares[border.before]!)"
      :aria-valuetext="`${letters[border.before]} ${Math.round(shares[border.before]!)} %, ${letters[border.after]} ${Math.round(shares[border.after]!)} %`"
      @keydown="byKey($event, border)"
      @pointerdown="grab($event, border)"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="drop"
    />
  </div>
</template>
<style scoped>
.shares {
  position: relative;
  margin: 6px 0 8px;
}
.pieces {
  display: flex;
  height: 22px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  overflow: hidden;
}
.share {
  flex: 1 1 0;
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
  text-align: center;
  font-size: 12px;
  font-weight: 600;
  line-height: 20px;
}
.share:nth-child(odd) {
  background: var(--ground);
}
.share + .share {
  border-left: 1px solid var(--ink);
}
.border {
  position: absolute;
  top: -2px;
  width: 13px;
  height: 26px;
  margin-left: -6.5px;
  cursor: ew-resize;
  touch-action: none;
  border-radius: 3px;
}
.border::after {
  content: '';
  position: absolute;
  left: 5px;
  top: 6px;
  width: 3px;
  height: 14px;
  border-radius: 2px;
  background: var(--ink);
}
.border:hover::after {
  background: var(--action);
}
</style>
