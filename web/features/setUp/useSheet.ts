/**
 * A setup sheet in this browser: begun on the server with the first word that is typed, kept there at each pause, and
 * brought up to date with what other members change. A field that both have changed is shown, not overwritten.
 */
import { onBeforeUnmount, reactive, ref, watch, type Ref } from 'vue';
import {
  blankSheet,
  type OpenSheet,
  type SheetAnswer,
  type SheetBody,
  type SheetField,
} from '@tracheon/core/contract';
import { ask, ApiError } from '../../app/api.ts';
import { onNews } from '../../app/stream.ts';
import { useGoLive } from './useGoLive.ts';

const PAUSE_MS = 500;
/** A server that did not answer is tried again. */
const AGAIN_MS = 3000;
/** Others see for some twenty seconds that we are here. */
const PRESENT_MS = 10_000;

export interface Collision {
  field: SheetField;
  by: string;
  theirs: SheetBody[SheetField];
}

export function useSheet(id: Ref<string>, begun: (id: string) => void) {
  const fields = useFields();
  const { body, changed } = fields;
  const shown = useShown(id.value === '');
  const { state, failure, others, keptAt, campaignId, collisions, saving } = shown;
  let timer: ReturnType<typeof setTimeout> | undefined;

  function take(sheet: OpenSheet): void {
    if (!fields.take(sheet)) return;
    others.value = sheet.others;
    keptAt.value = sheet.changedAt;
    campaignId.value = sheet.campaignId ?? '';
    state.value = 'ready';
  }
  async function load(): Promise<void> {
    if (id.value === '') return;
    try {
      const sheet = await ask('sheet', { id: id.value });
      if (state.value === 'failed') failure.value = '';
      take(sheet);
    } catch (error) {
      // Once it is there, a look that fails costs only freshness; what is typed says for itself whether it was kept.
      if (state.value === 'ready') return;
      state.value = 'failed';
      failure.value = (error as Error).message;
    }
  }
  function schedule(ms: number): void {
    clearTimeout(timer);
    timer = setTimeout(() => void save(), ms);
  }
  /** True once everything is kept. */
  async function save(): Promise<boolean> {
    clearTimeout(timer);
    const mine = changed();
    if (campaignId.value !== '') return true;
    if (mine.length === 0) return state.value === 'ready';
    // While one is under way the next waits for its answer, which brings the new version.
    if (saving.value) return false;
    saving.value = true;
    try {
      const changes = Object.fromEntries(mine.map((f) => [f, body[f]])) as Partial<SheetBody>;
      if (id.value === '') {
        const made = await ask('createSheet', { body: { body: changes } });
        begun(made.id);
        take(made);
      } else {
        const answer = await ask('changeSheet', {
          id: id.value,
          body: { version: fields.version(), changes },
        });
        collisions.value = collisionsOf(answer);
        take(answer.sheet);
      }
      failure.value = '';
    } catch (error) {
      failure.value = `Draft not saved: ${(error as Error).message}`;
      if (!(error instanceof ApiError) || error.code === 'unreachable' || error.code === 'database_away')
        schedule(AGAIN_MS);
      return false;
    } finally {
      saving.value = false;
    }
    if (collisions.value.length === 0 && changed().length > 0) schedule(0);
    return changed().length === 0;
  }
  function takeTheirs(): void {
    for (const c of collisions.value) fields.reset(c.field);
    collisions.value = [];
    schedule(0);
  }
  function keepMine(): void {
    collisions.value = [];
    schedule(0);
  }
  watch(body, () => {
    if (collisions.value.length === 0 && changed().length > 0) schedule(PAUSE_MS);
  });
  watch(
    id,
    () => {
      if (id.value === '' || fields.version() > 0) return;
      void load();
    },
    { immediate: true },
  );
  keepCurrent(load, save);
  const live = useGoLive({ id, body, save, failure, collisions, take });
  return { body, isKept: fields.isKept, ...shown, load, ...live, takeTheirs, keepMine };
}
export type Sheet = ReturnType<typeof useSheet>;

const collisionsOf = ({ sheet, collided }: SheetAnswer): Collision[] =>
  collided.map(({ field, by }) => ({
    field: field as SheetField,
    by,
    theirs: sheet.body[field as SheetField],
  }));

/** The fields as they are typed, and as the server has them. */
function useFields() {
  const all = Object.keys(blankSheet) as SheetField[];
  const body = reactive<SheetBody>({ ...blankSheet });
  let base: SheetBody = { ...blankSheet };
  let version = 0;
  const put = <F extends SheetField>(field: F, value: SheetBody[F]): void => void (body[field] = value);
  // Lists are compared by what they hold.
  const isSame = (f: SheetField, other: SheetBody = base): boolean =>
    body[f] === other[f] || (Array.isArray(other[f]) && JSON.stringify(body[f]) === JSON.stringify(other[f]));
  const changed = (): SheetField[] => all.filter((f) => !isSame(f));
  return {
    body,
    changed,
    version: () => version,
    /** As the server has it: nothing was typed here since. */
    isKept: (field: SheetField): boolean => isSame(field),
    reset: (field: SheetField): void => put(field, base[field]),
    /** Takes over what the server has; what was typed here and is not kept yet stays. False for an older state. */
    take: (sheet: OpenSheet): boolean => {
      if (sheet.version < version) return false;
      const mine = changed();
      base = { ...sheet.body };
      version = sheet.version;
      // What is the same stays the very list that it is: it was not typed into.
      for (const f of all) if (!mine.includes(f) && !isSame(f, sheet.body)) put(f, sheet.body[f]);
      return true;
    },
  };
}

/** How the sheet stands, for the screen. */
const useShown = (isNew: boolean) => ({
  state: ref<'new' | 'loading' | 'ready' | 'failed'>(isNew ? 'new' : 'loading'),
  failure: ref(''),
  others: ref<string[]>([]),
  keptAt: ref(''),
  campaignId: ref(''),
  collisions: ref<Collision[]>([]),
  saving: ref(false),
});

/** What others change comes by the news; that we are here is said again and again; leaving keeps what is left. */
function keepCurrent(load: () => Promise<void>, save: () => Promise<boolean>): void {
  onNews(['sheets'], load, 400);
  const presence = setInterval(() => void load(), PRESENT_MS);
  onBeforeUnmount(() => {
    clearInterval(presence);
    void save();
  });
}
