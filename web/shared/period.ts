/** The period looked at, kept from screen to screen: a named one, or any range of days, in days of the desk. */
import { useNow } from '@vueuse/core';
import { computed, ref, watch } from 'vue';
import {
  isDay,
  localDay,
  periodDays,
  periodNames,
  rangeBefore,
  stepRange,
  type DayRange,
  type PeriodName,
} from '@tracheon/core/time';
import { useSession } from '../app/session.ts';

type Chosen = { name: PeriodName } | { range: DayRange };

const STORE = 'tracheon.period';
const MINUTE_MS = 60_000;
const isMonth = (name: PeriodName): boolean => name === 'this_month' || name === 'last_month';

/** As it is kept, and as it stands in links. */
const textOf = (c: Chosen): string => ('name' in c ? c.name : `${c.range.from}..${c.range.to}`);
function read(text: string): Chosen | null {
  const [from = '', to = ''] = text.split('..');
  if (isDay(from) && isDay(to) && from <= to) return { range: { from, to } };
  const name = periodNames.find((n) => n === text);
  return name ? { name } : null;
}
const chosen = ref<Chosen>(read(localStorage.getItem(STORE) ?? '') ?? { name: '7d' });
/** Periods back from the chosen one; negative for later ones. */
const stepsBack = ref(0);
/** What the period is compared with: nothing, the one before it, or any days. */
export type ComparedWith = 'nothing' | 'before' | DayRange;
const COMPARE_STORE = `${STORE}.compare`;
function readCompared(text: string): ComparedWith {
  const kept = read(text);
  if (kept && 'range' in kept) return kept.range;
  return text === 'before' ? 'before' : 'nothing';
}
export const comparedWith = ref<ComparedWith>(readCompared(localStorage.getItem(COMPARE_STORE) ?? ''));
watch(comparedWith, (now) =>
  localStorage.setItem(COMPARE_STORE, typeof now === 'string' ? now : `${now.from}..${now.to}`),
);
export const isCompared = computed(() => comparedWith.value !== 'nothing');

export const periodWords: Record<PeriodName, string> = {
  today: 'Today',
  yesterday: 'Yesterday',
  '7d': 'Last 7 days',
  '14d': 'Last 14 days',
  '30d': 'Last 30 days',
  this_month: 'This month',
  last_month: 'Last month',
};

export function usePeriod() {
  const session = useSession();
  const now = useNow({ interval: MINUTE_MS });
  /** The day that it is on the desk. */
  const today = computed(() => localDay(now.value.getTime(), session.desk.zone));
  const range = computed<DayRange>(() => {
    const c = chosen.value;
    const back = stepsBack.value;
    if ('range' in c) return stepRange(c.range, -back);
    const named = periodDays(c.name, today.value);
    if (back === 0 || !isMonth(c.name)) return stepRange(named, -back);
    // Months back from a month are whole ones.
    return stepRange(periodDays('last_month', today.value), c.name === 'this_month' ? 1 - back : -back);
  });
  function choose(next: Chosen): void {
    chosen.value = next;
    stepsBack.value = 0;
    localStorage.setItem(STORE, textOf(next));
  }
  const step = (by: number): void => {
    // What has not begun yet has no figures.
    if (by < 0 && range.value.to >= today.value) return;
    stepsBack.value += by;
  };
  return {
    today,
    range,
    /** What it is compared with, if it is. */
    before: computed(() =>
      typeof comparedWith.value === 'string' ? rangeBefore(range.value) : comparedWith.value,
    ),
    name: computed(() => ('name' in chosen.value && stepsBack.value === 0 ? chosen.value.name : null)),
    choose,
    /** For a link; what can't be read changes nothing. */
    text: computed(() => textOf(stepsBack.value === 0 ? chosen.value : { range: range.value })),
    chooseText: (text: string): void => {
      const next = read(text);
      if (next) choose(next);
    },
    earlier: () => step(1),
    later: () => step(-1),
    isLatest: computed(() => range.value.to >= today.value),
  };
}
