/** What the numbers table asks: its levels and filters, kept in the address of the page, its order and its search. */
import { computed, onBeforeUnmount, ref, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import {
  anyFigure,
  SORT_BY_VERDICT,
  MAX_EXPORT_ROWS,
  MAX_LEVELS,
  type FigureFilter,
  type NumbersAnswer,
  type NumbersAsked,
  type ValueFilter,
} from '@tracheon/core/contract';
import { groupingOf, revenueBases, type RevenueBasis, type TimeGrouping } from '@tracheon/core/metrics';
import { ask } from '../../app/api.ts';
import { isCompared, usePeriod } from '../../shared/period.ts';
import { figureFilterText, readFigureFilters, readValueFilters, valueFilterText } from './filters.ts';

/** Rows of a level that are loaded at a time. */
export const PAGE = 100;
const SUGGESTIONS = 20;
/** Of a strip. */
const MAX_DAYS = 400;
const DATED: readonly string[] = ['day', 'week', 'month'] satisfies TimeGrouping[];

/** What the table is broken down by, kept in its address. */
function useLevels() {
  const route = useRoute();
  const router = useRouter();
  const levels = computed<string[]>(() => {
    const named = String(route.query.by ?? '').split(',');
    const known = named.filter((n) => groupingOf(n) !== undefined).slice(0, MAX_LEVELS);
    return known.length > 0 ? known : ['campaign_id'];
  });
  const setLevels = (next: string[]): void =>
    void router.replace({ query: { ...route.query, by: next.join(',') } });
  return { levels, setLevels };
}

/** What the table keeps, as it stands in the link. */
function useFilters() {
  const route = useRoute();
  const router = useRouter();
  const texts = (name: string): string[] => [route.query[name] ?? []].flat().map(String);
  // By their texts: another part of the link may change without them.
  const onlyTexts = computed(() => texts('only').join('\u0000'));
  const havingTexts = computed(() => texts('having').join('\u0000'));
  const put = (name: string, all: string[]): void =>
    void router.replace({ query: { ...route.query, [name]: all } });
  const parted = (joined: string): string[] => (joined === '' ? [] : joined.split('\u0000'));
  const onlyRead = computed(() => readValueFilters(parted(onlyTexts.value)));
  const havingRead = computed(() => readFigureFilters(parted(havingTexts.value)));
  const only = computed<ValueFilter[]>({
    get: () => onlyRead.value,
    set: (next) => put('only', next.map(valueFilterText)),
  });
  const having = computed<FigureFilter[]>({
    get: () => havingRead.value,
    set: (next) => put('having', next.map(figureFilterText)),
  });
  return { only, having };
}

/** A figure, `name` for the values; `-` before it for descending. */
function useSort() {
  const route = useRoute();
  const router = useRouter();
  return computed<string>({
    get: () => {
      const asked = String(route.query.sort ?? '');
      const column = asked.replace(/^-/, '');
      return ['name', SORT_BY_VERDICT].includes(column) || anyFigure.safeParse(column).success
        ? asked
        : '-profitMicros';
    },
    set: (sort) => void router.replace({ query: { ...route.query, sort } }),
  });
}

/** What a word of the link says, where it is one of those that are known; else the first one. */
function useWord<W extends string>(name: string, words: readonly W[]) {
  const route = useRoute();
  const router = useRouter();
  return computed<W>({
    get: () => words.find((w) => w === route.query[name]) ?? words[0]!,
    set: (word) => void router.replace({ query: { ...route.query, [name]: word } }),
  });
}

/** In which amounts are; empty: the desk's currency. */
function useCurrency() {
  const route = useRoute();
  const router = useRouter();
  return computed<string>({
    get: () => {
      const asked = String(route.query.currency ?? '');
      return /^[A-Z]{3}$/.test(asked) ? asked : '';
    },
    set: (currency) => void router.replace({ query: { ...route.query, currency: currency || undefined } }),
  });
}

export function useQuestion() {
  const dayOf = useWord<NumbersAsked['dayOf']>('day', ['visit', 'conversion']);
  const basis = useWord('basis', Object.keys(revenueBases) as RevenueBasis[]);
  const currency = useCurrency();
  const { range, before } = usePeriod();
  const { levels, setLevels } = useLevels();
  const { only, having } = useFilters();
  /** Days of one period are never those of another. */
  const against = computed(() =>
    isCompared.value && !levels.value.some((l) => DATED.includes(l)) ? before.value : null,
  );
  // Whoever leaves the page, or asks for something else, no longer waits.
  let waiting = new AbortController();
  const giveUp = (): void => {
    waiting.abort();
    waiting = new AbortController();
  };
  onBeforeUnmount(giveUp);
  const sort = useSort();
  const search = ref('');
  /** The rows below the row of this path. */
  const question = (path: readonly string[], limit: number, offset = 0): Promise<NumbersAnswer> =>
    ask(
      'numbersReport',
      {
        body: {
          ...range.value,
          by: [levels.value[path.length]!],
          under: path.map((value, i) => ({ by: levels.value[i]!, value })),
          only: only.value,
          having: having.value,
          dayOf: dayOf.value,
          basis: basis.value,
          currency: currency.value,
          against: against.value,
          verdicts: true,
          search: path.length === 0 ? search.value : '',
          ...sorting(sort.value),
          limit,
          offset,
        },
      },
      { signal: waiting.signal },
    );
  return {
    levels,
    setLevels,
    only,
    having,
    dayOf,
    basis,
    currency,
    against,
    sort,
    search,
    question,
    giveUp,
    ...otherQuestions({ range, levels, only, having, dayOf, basis, currency, search }),
  };
}

/** Questions beside the table’s own, with its filters. */
function otherQuestions({
  range,
  levels,
  only,
  having,
  dayOf,
  basis,
  currency,
  search,
}: {
  range: Ref<{ from: string; to: string }>;
  levels: Ref<string[]>;
  only: Ref<ValueFilter[]>;
  having: Ref<FigureFilter[]>;
  dayOf: Ref<NumbersAsked['dayOf']>;
  basis: Ref<RevenueBasis>;
  currency: Ref<string>;
  search: Ref<string>;
}) {
  /** By other values than those of the table, with its filters and some more. */
  const chart = (by: string[], more: ValueFilter[], signal: AbortSignal): Promise<NumbersAnswer> =>
    ask(
      'numbersReport',
      {
        body: {
          ...range.value,
          by,
          only: [...only.value, ...more],
          dayOf: dayOf.value,
          basis: basis.value,
          currency: currency.value,
          sort: '',
          isDescending: false,
          limit: MAX_EXPORT_ROWS,
        },
      },
      { signal },
    );
  /** Of every day, with the filters of the table. */
  const byDay = (period: { from: string; to: string }): Promise<NumbersAnswer> =>
    ask('numbersReport', {
      body: {
        ...period,
        by: ['day'],
        only: only.value,
        dayOf: dayOf.value,
        basis: basis.value,
        currency: currency.value,
        sort: '',
        limit: MAX_DAYS,
      },
    });
  /** All rows of all levels, for a file. */
  const everything = () => ({
    ...range.value,
    by: levels.value,
    under: [],
    only: only.value,
    having: having.value,
    dayOf: dayOf.value,
    basis: basis.value,
    currency: currency.value,
    against: null,
    asOf: null,
    moment: null,
    between: null,
    onlyMature: false,
    verdicts: false,
    // A search is for values of the first level, and rows of a file are of all levels.
    search: levels.value.length === 1 ? search.value : '',
  });
  const suggest = async (by: string, text: string) => {
    const body = {
      ...range.value,
      by: [by],
      search: text.trim().slice(0, 100),
      limit: SUGGESTIONS,
    } as NumbersAsked;
    const { rows } = await ask('numbersReport', { body });
    return rows.map((r) => ({ value: r.values[0]!, name: r.names[0]! }));
  };
  return { suggest, byDay, chart, everything };
}

/** The first column is that of the values. */
function sorting(by: string): Pick<NumbersAsked, 'sort' | 'isDescending'> {
  const column = by.replace(/^-/, '');
  return {
    sort: (column === 'name' ? '' : column) as NumbersAsked['sort'],
    isDescending: by.startsWith('-'),
  };
}
