/** A draft of a form on this browser: what was typed, and the version of the record that it was begun from. */
export interface Draft<T> {
  version: number;
  body: T;
}

/** Desks beside each other keep their drafts apart. */
let place = '';
export const keepDraftsOf = (deskId: string): void => void (place = deskId);

export function keptDraft<T>(key: string) {
  const store = `tracheon.draft.${place}.${key}`;
  return {
    /** Null when there is none, or when it is of a shape that no form here writes. */
    read: (): Draft<T> | null => {
      try {
        const kept = JSON.parse(localStorage.getItem(store) ?? 'null') as Partial<Draft<T>> | null;
        return typeof kept?.version === 'number' && typeof kept.body === 'object' ? (kept as Draft<T>) : null;
      } catch {
        return null;
      }
    },
    write: (draft: Draft<T>): void => localStorage.setItem(store, JSON.stringify(draft)),
    forget: (): void => localStorage.removeItem(store),
  };
}
