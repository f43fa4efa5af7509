/**
 * A change of how a network's postbacks are read is tried on its last ones before it is saved. Where it would change
 * something, the member sees what, and decides.
 */
import type { NetworkInput, ReadingTrial } from '@tracheon/core/contract';
import { ref, watch } from 'vue';
import { ask } from '../../app/api.ts';

/** What the reading of a postback depends on. */
const READ_BY = [
  'fields',
  'extras',
  'statusWords',
  'eventWords',
  'currencyWords',
  'noStatusMeans',
  'payoutMeans',
  'negativeMeans',
  'decimalMark',
  'zone',
] as const satisfies readonly (keyof NetworkInput)[];

export const isReadOtherwise = (before: NetworkInput, after: NetworkInput): boolean =>
  READ_BY.some((field) => JSON.stringify(before[field]) !== JSON.stringify(after[field]));

/** `body`: what is typed; another change is another trial. */
export function useReadingTrial(body: NetworkInput) {
  /** Of the change that waits for the member's decision. */
  const trial = ref<ReadingTrial | null>(null);
  watch(body, () => (trial.value = null));
  let agreedTo = '';
  return {
    trial,
    /** True: it may be saved. False: the member is shown what it would do, and asks once more. */
    async mayBeSaved(id: string, before: NetworkInput, after: NetworkInput): Promise<boolean> {
      const asked = JSON.stringify(after);
      if (!isReadOtherwise(before, after) || agreedTo === asked) return true;
      // A trial that fails says nothing against the change; saving says what is wrong with it.
      const found = await ask('tryReading', { id, body: { body: after } }).catch(() => null);
      trial.value = found;
      agreedTo = asked;
      return found === null || found.broken + found.changed === 0;
    },
  };
}
