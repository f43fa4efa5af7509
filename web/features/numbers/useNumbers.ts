/** The numbers table as it is loaded: read again when what is asked changes or news comes, and while the index is built. */
import { onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import type { NumbersAnswer } from '@tracheon/core/contract';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import type { NumbersRow } from './openLevels.ts';
import { useIndexed } from '../../shared/useIndexed.ts';
import { useOpenLevels } from './useOpenLevels.ts';
import { useQuestion } from './useQuestion.ts';

const TYPING_MS = 250;
const NEWS_EVERY_MS = 5000;

export function useNumbers() {
  const { range } = usePeriod();
  const asking = useQuestion();
  const { levels, only, having, dayOf, basis, currency, against, sort, search, question } = asking;
  const state = ref<'loading' | 'ready' | 'failed'>('loading');
  const failure = ref('');
  const answer = shallowRef<NumbersAnswer | null>(null);
  const table = useOpenLevels(question, (first) => (answer.value = first));
  const asks = newest();
  const { building, indexed } = useIndexed(() => void load());
  const load = (): Promise<void> => {
    return asks(
      indexed(() => table.again()),
      () => {
        state.value = 'ready';
        failure.value = '';
      },
      (why) => {
        failure.value = why;
        state.value = 'failed';
      },
    );
  };
  function begin(): void {
    asking.giveUp();
    table.empty();
    state.value = 'loading';
    void load();
  }
  watch([levels, range, only, having, dayOf, basis, currency, against], begin, { immediate: true });
  watch(sort, () => void load());
  let typing: ReturnType<typeof setTimeout> | undefined;
  watch(search, () => {
    clearTimeout(typing);
    typing = setTimeout(begin, TYPING_MS);
  });
  onNews(['numbers'], () => (state.value === 'ready' ? load() : undefined), NEWS_EVERY_MS);
  onBeforeUnmount(() => clearTimeout(typing));
  const canOpen = (row: NumbersRow): boolean => row.kind === 'row' && row.level + 1 < levels.value.length;
  return {
    ...asking,
    state,
    failure,
    building,
    answer,
    load,
    canOpen,
    ...table,
  };
}
