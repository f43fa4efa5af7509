/** What was opened last on this browser, newest first: offered by the palette before anything is typed. */
import { ref } from 'vue';

export interface Recent {
  words: string;
  to: string;
}
const STORE = 'tracheon.recent';
const MAX_RECENT = 8;

function read(): Recent[] {
  try {
    const kept = JSON.parse(localStorage.getItem(STORE) ?? '[]') as unknown;
    return Array.isArray(kept)
      ? kept.filter((r): r is Recent => typeof r?.words === 'string' && /^\/[a-z]/.test(String(r?.to)))
      : [];
  } catch {
    return [];
  }
}
export const recent = ref<Recent[]>(read());

export function remember(words: string, to: string): void {
  recent.value = withNewest(recent.value, { words, to });
  localStorage.setItem(STORE, JSON.stringify(recent.value));
}

/** The same place once, at its newest. */
export const withNewest = (all: readonly Recent[], newest: Recent): Recent[] =>
  [newest, ...all.filter((r) => r.to !== newest.to)].slice(0, MAX_RECENT);
