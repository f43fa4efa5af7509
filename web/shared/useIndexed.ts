/** What a screen that asks the numbers index does while there is none: it says how far the index is, and asks again. */
import { onBeforeUnmount, ref } from 'vue';
import { ApiError, ask } from '../app/api.ts';

const LOOK_AGAIN_MS = 1000;

export function useIndexed(again: () => void) {
  /** Visits that the index has read; null while it is there. */
  const building = ref<{ visits: number; ofAbout: number } | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const settle = (): void => {
    clearTimeout(timer);
    building.value = null;
  };
  /** What passes by itself is asked for again; the error goes on to whoever shows it. */
  async function passing(error: unknown): Promise<never> {
    clearTimeout(timer);
    const code = error instanceof ApiError ? error.code : '';
    building.value =
      code === 'numbers_building' ? await ask('numbersState').catch(() => building.value) : null;
    if (code === 'numbers_building' || code === 'numbers_away') timer = setTimeout(again, LOOK_AGAIN_MS);
    throw error;
  }
  onBeforeUnmount(() => clearTimeout(timer));
  return { building, passing, settle };
}
