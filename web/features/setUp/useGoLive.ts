/** Going live from a sheet: first everything that was typed is on the server, then offer and campaign are made of it. */
import { ref, watch, type Ref } from 'vue';
import type { OpenSheet, SheetBody } from '@tracheon/core/contract';
import { ask, ApiError } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';

const STEP_MS = 100;
const MAX_STEPS = 30;

interface Deps {
  id: Ref<string>;
  body: SheetBody;
  save: () => Promise<boolean>;
  failure: Ref<string>;
  collisions: Ref<unknown[]>;
  take: (sheet: OpenSheet) => void;
}

export function useGoLive({ id, body, save, failure, collisions, take }: Deps) {
  const parts = useParts();
  /** What the server has against a field, by its name. */
  const fieldErrors = ref<Record<string, string>>({});
  const goingLive = ref(false);
  watch(body, () => (fieldErrors.value = {}));

  async function settled(): Promise<boolean> {
    for (let i = 0; i < MAX_STEPS; i++) {
      if (await save()) return true;
      if (failure.value !== '' || collisions.value.length > 0) return false;
      await new Promise((r) => setTimeout(r, STEP_MS));
    }
    return false;
  }
  /** True once it is live; a second call while the first is under way does nothing. */
  async function goLive(): Promise<boolean> {
    if (goingLive.value) return false;
    goingLive.value = true;
    fieldErrors.value = {};
    failure.value = '';
    try {
      if (!(await settled())) return false;
      const made = await ask('goLive', { id: id.value });
      await parts.load();
      take(made.sheet);
      return true;
    } catch (error) {
      failure.value = (error as Error).message;
      if (error instanceof ApiError)
        fieldErrors.value = Object.fromEntries(error.fields.map((f) => [f.path, f.message]));
      return false;
    } finally {
      goingLive.value = false;
    }
  }
  return { fieldErrors, goingLive, goLive };
}
