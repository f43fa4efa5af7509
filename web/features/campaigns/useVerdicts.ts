/** The verdict on each campaign over the chosen period. While the numbers index is built there are none, and no error either. */
import { ref, watch } from 'vue';
import { MAX_NUMBERS_ROWS, type NumbersAsked, type VerdictAnswer } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { newest } from '../../base/newest.ts';
import { onNews } from '../../app/stream.ts';
import { usePeriod } from '../../shared/period.ts';
import { useIndexed } from '../../shared/useIndexed.ts';

const NEWS_EVERY_MS = 5000;

export function useVerdicts() {
  const { range } = usePeriod();
  const verdicts = ref<ReadonlyMap<string, VerdictAnswer>>(new Map());
  const { indexed } = useIndexed(() => void load());
  const asks = newest();
  function load(): Promise<void> {
    const body = {
      ...range.value,
      by: ['campaign_id'],
      verdicts: true,
      limit: MAX_NUMBERS_ROWS,
    } as NumbersAsked;
    return asks(
      indexed(() => ask('numbersReport', { body })),
      ({ rows }) => {
        verdicts.value = new Map(rows.map((r) => [r.values[0]!, r.verdict!]));
      },
      () => (verdicts.value = new Map()),
    );
  }
  watch(range, load, { immediate: true });
  onNews(['numbers'], load, NEWS_EVERY_MS);
  return verdicts;
}
