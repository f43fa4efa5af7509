/** Levels of the numbers table that open one below the other, each sorted and paged by the server. */
import { computed, ref, shallowRef } from 'vue';
import { MAX_NUMBERS_ROWS, type NumbersAnswer } from '@tracheon/core/contract';
import { inTurn } from '../../app/inTurn.ts';
import { closed, flat, keyOf, pathOf, type Level, type NumbersRow } from './openLevels.ts';
import { PAGE } from './useQuestion.ts';

export function useOpenLevels(
  question: (path: readonly string[], limit: number, offset?: number) => Promise<NumbersAnswer>,
  /** Called together with the change of the rows, so that a total never stands below other rows. */
  answered: (first: NumbersAnswer) => void,
) {
  const top = shallowRef<Level | null>(null);
  const open = shallowRef(new Map<string, Level>());
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
      const both = { count: next.count, rest: next.rest, rows: [...level.rows, ...next.rows] };
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
