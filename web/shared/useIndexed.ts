/**
 * What a screen that asks the numbers index does while there is none: it says how far the index is, and asks again. Whether it
 * is there is asked first, so that a page of other things has no failed request on its account.
 */
import { onBeforeUnmount, ref } from 'vue';
import { errorCatalogue } from '@tracheon/core/contract';
import { ApiError, ask } from '../app/api.ts';

const LOOK_AGAIN_MS = 1000;
/** An index that is away may be switched off. */
const AWAY_MS = 5000;

/** As it was at the last question of any screen. */
let isThere = false;
async function whenThere<T>(question: () => Promise<T>): Promise<T> {
  if (!isThere) {
    const { state } = await ask('numbersState');
    const code = state === 'away' ? 'numbers_away' : 'numbers_building';
    if (state !== 'ready') throw new ApiError(code, errorCatalogue[code].sentence);
  }
  try {
    const answer = await question();
    isThere = true;
    return answer;
  } catch (error) {
    isThere = false;
    throw error;
  }
}

export function useIndexed(again: () => void) {
  /** Visits that the index has read; null while it is there. */
  const building = ref<{ visits: number; ofAbout: number } | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  let isGone = false;
  async function passing(error: unknown): Promise<never> {
    clearTimeout(timer);
    const code = error instanceof ApiError ? error.code : '';
    building.value =
      code === 'numbers_building' ? await ask('numbersState').catch(() => building.value) : null;
    if (!isGone && code === 'numbers_building') timer = setTimeout(again, LOOK_AGAIN_MS);
    if (!isGone && code === 'numbers_away') timer = setTimeout(again, AWAY_MS);
    throw error;
  }
  /** Asks; what passes by itself is asked for again, and the error goes on to whoever shows it. */
  async function indexed<T>(question: () => Promise<T>): Promise<T> {
    const answer = await whenThere(question).catch(passing);
    clearTimeout(timer);
    building.value = null;
    return answer;
  }
  onBeforeUnmount(() => {
    isGone = true;
    clearTimeout(timer);
  });
  return { building, indexed };
}
