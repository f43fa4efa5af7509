/** Single keys for actions. Off in fields, in dialogs, and wherever the member has switched them off. */
import { onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';

export interface KeyAction {
  key: string;
  words: string;
  run: () => void;
}
const STORE = 'tracheon.singleKeys';
export const singleKeysOn = ref(localStorage.getItem(STORE) !== 'off');
export function setSingleKeys(on: boolean): void {
  singleKeysOn.value = on;
  localStorage.setItem(STORE, on ? 'on' : 'off');
}

/** Shallow: the very objects that a screen added are found again when it leaves. */
export const activeKeys = shallowRef<KeyAction[]>([]);

function isTyping(target: EventTarget | null): boolean {
  const el = target as HTMLElement | null;
  return !!el?.closest('input, textarea, select, [contenteditable="true"], [role="dialog"]');
}
const nameOf = (e: KeyboardEvent): string =>
  e.shiftKey && e.key.startsWith('Arrow') ? `Shift+${e.key}` : e.key;

window.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
  const name = nameOf(e);
  if (!singleKeysOn.value && !name.startsWith('Shift+')) return;
  if (isTyping(e.target)) return;
  const action = activeKeys.value.findLast((a) => a.key === name);
  if (!action) return;
  e.preventDefault();
  action.run();
});

/** Keys of a screen, as long as it is shown. */
export function useKeys(actions: KeyAction[]): void {
  onMounted(() => (activeKeys.value = [...activeKeys.value, ...actions]));
  onBeforeUnmount(() => (activeKeys.value = activeKeys.value.filter((a) => !actions.includes(a))));
}
