/** The period looked at, kept from screen to screen. */
import type { PeriodName } from '@tracheon/core/contract';
import { ref, watch } from 'vue';

const STORE = 'tracheon.period';
const kept = localStorage.getItem(STORE);
export const period = ref<PeriodName>(kept === 'today' || kept === '30d' ? kept : '7d');
/** Whole periods back from now. */
export const stepsBack = ref(0);
const MAX_STEPS = 60;
watch(period, (p) => {
  localStorage.setItem(STORE, p);
  stepsBack.value = 0;
});
export const earlier = (): void => void (stepsBack.value = Math.min(MAX_STEPS, stepsBack.value + 1));
export const later = (): void => void (stepsBack.value = Math.max(0, stepsBack.value - 1));
