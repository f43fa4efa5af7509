/** The rows of the numbers table: levels that open one below the other, each sorted and paged by the server. */
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { MAX_LEVELS, MAX_NUMBERS_ROWS, type NumbersAnswer, type NumbersAsked } from '@tracheon/core/contract';
import { groupingOf } from '@tracheon/core/metrics';
import { ApiError, ask } from '../../app/api.ts';
import { inTurn } from '../../app/inTurn.ts';
import { newest } from '../../app/newest.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import { closed, flat, keyOf, pathOf, type Level, type NumbersRow } from './openLevels.ts';

const PAGE = 100;
const TYPING_MS = 250;
const NEWS_EVERY_MS = 5000;
const LOOK_AGAIN_MS = 1000;

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

export function useNumbers() {
  const { range } = usePeriod();
  const { levels, setLevels } = useLevels();
  const sort = ref('-profitMicros');
  const search = ref('');
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  const building = ref<{ visits: number; ofAbout: number } | null>(null);
  const answer = ref<NumbersAnswer | null>(null);
  const question = (path: readonly string[], limit: number, offset = 0): Promise<NumbersAnswer> =>
    ask('numbersReport', {
      body: {
        ...range.value,
        by: [levels.value[path.length]!],
        under: path.map((value, i) => ({ by: levels.value[i]!, value })),
        search: path.length === 0 ? search.value : '',
        ...sorting(sort.value),
        limit,
        offset,
      },
    });
  const table = useOpenLevels(question, (first) => (answer.value = first));
  const asks = newest();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const load = (): Promise<void> => {
    clearTimeout(timer);
    return asks(
      table.again().catch(passing),
      () => {
        state.value = 'ready';
        failure.value = '';
        building.value = null;
      },
      (why) => {
        failure.value = why;
        state.value = 'failed';
      },
    );
  };
  /** What passes by itself is asked for again. */
  async function passing(error: unknown): Promise<never> {
    const code = error instanceof ApiError ? error.code : '';
    building.value =
      code === 'numbers_building' ? await ask('numbersState').catch(() => building.value) : null;
    if (code === 'numbers_building' || code === 'numbers_away')
      timer = setTimeout(() => void load(), LOOK_AGAIN_MS);
    throw error;
  }
  function begin(): void {
    table.empty();
    state.value = 'loading';
    void load();
  }
  watch([levels, range], begin, { immediate: true });
  watch(sort, () => void load());
  let typing: ReturnType<typeof setTimeout> | undefined;
  watch(search, () => {
    clearTimeout(typing);
    typing = setTimeout(begin, TYPING_MS);
  });
  onNews(['visits', 'conversions'], () => (state.value === 'ready' ? load() : undefined), NEWS_EVERY_MS);
  onBeforeUnmount(() => {
    clearTimeout(timer);
    clearTimeout(typing);
  });
  const canOpen = (row: NumbersRow): boolean => row.level + 1 < levels.value.length;
  return { levels, setLevels, sort, search, state, failure, building, answer, load, canOpen, ...table };
}

/** The first column is that of the values. */
function sorting(by: string): Pick<NumbersAsked, 'sort' | 'isDescending'> {
  const column = by.replace(/^-/, '');
  return {
    sort: (column === 'name' ? '' : column) as NumbersAsked['sort'],
    isDescending: by.startsWith('-'),
  };
}

function useOpenLevels(
  question: (path: readonly string[], limit: number, offset?: number) => Promise<NumbersAnswer>,
  /** Called together with the change of the rows, so that a total never stands below other rows. */
  answered: (first: NumbersAnswer) => void,
) {
  const top = ref<Level | null>(null);
  const open = ref(new Map<string, Level>());
  const problem = ref('');
  const attempt = async (work: () => Promise<void>): Promise<void> => {
    problem.value = '';
    await turn(work).catch((error: Error) => (problem.value = error.message));
  };
  const sized = (level: Level | null): number =>
    Math.min(MAX_NUMBERS_ROWS, Math.max(PAGE, level?.rows.length ?? 0));
  // A reload must not close what is being opened, and nothing that is opened may belong to the table before.
  const turn = inTurn();
  let serial = 0;
  /** All that is shown, as it is now; levels that are open with it, so that the whole table is of one moment. */
  const again = (): Promise<NumbersAnswer> =>
    turn(async () => {
      const mine = serial;
      const others = [...open.value].map(
        async ([key, level]) => [key, await question(pathOf(key), sized(level))] as const,
      );
      const [first, ...levels] = await Promise.all([question([], sized(top.value)), ...others]);
      if (mine === serial) {
        top.value = first;
        open.value = new Map(levels);
        answered(first);
      }
      return first;
    });
  const isOpen = (row: NumbersRow): boolean => open.value.has(row.key);
  const toggle = (row: NumbersRow): Promise<void> =>
    attempt(async () => {
      if (isOpen(row)) return void (open.value = closed(open.value, row.path));
      const mine = serial;
      const level = await question(row.path, PAGE);
      if (mine === serial) open.value = new Map(open.value).set(row.key, level);
    });
  /** The next rows of the level in which this one stands last. */
  const more = (row: NumbersRow): Promise<void> =>
    attempt(async () => {
      const above = row.path.slice(0, -1);
      const level = above.length === 0 ? top.value : open.value.get(keyOf(above));
      if (!level) return;
      const mine = serial;
      const next = await question(above, PAGE, level.rows.length);
      if (mine !== serial) return;
      const both = { count: next.count, rows: [...level.rows, ...next.rows] };
      if (above.length === 0) top.value = both;
      else open.value = new Map(open.value).set(keyOf(above), both);
    });
  const empty = (): void => {
    serial += 1;
    top.value = null;
    open.value = new Map();
  };
  return {
    top,
    open,
    problem,
    again,
    empty,
    toggle,
    more,
    isOpen,
    rows: computed(() => flat(top.value, open.value)),
  };
}
