/** Light, dark, or as the system says; set on the root before anything is drawn. */
import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';
import { ref } from 'vue';

export type Theme = 'system' | 'light' | 'dark';
const STORE = 'tracheon.theme';
const dark = window.matchMedia('(prefers-color-scheme: dark)');
export const theme = ref<Theme>((localStorage.getItem(STORE) as Theme | null) ?? 'system');
/** What is drawn now; charts read their colours anew when it changes. */
export const drawn = ref<'light' | 'dark'>('light');

export function applyTheme(): void {
  drawn.value = theme.value === 'system' ? (dark.matches ? 'dark' : 'light') : theme.value;
  document.documentElement.dataset.theme = drawn.value;
}
export function setTheme(next: Theme): void {
  theme.value = next;
  localStorage.setItem(STORE, next);
  applyTheme();
}
dark.addEventListener('change', applyTheme);

const surface = {
  content: {
    background: 'var(--sheet)',
    borderColor: 'var(--hairline)',
    color: 'var(--ink)',
    hoverBackground: 'var(--tint)',
    hoverColor: 'var(--ink)',
  },
  text: {
    color: 'var(--ink)',
    hoverColor: 'var(--ink)',
    mutedColor: 'var(--quiet)',
    hoverMutedColor: 'var(--quiet)',
  },
  primary: {
    color: 'var(--action)',
    contrastColor: 'var(--on-action)',
    hoverColor: 'var(--action)',
    activeColor: 'var(--action)',
  },
  highlight: {
    background: 'var(--tint)',
    focusBackground: 'var(--tint)',
    color: 'var(--ink)',
    focusColor: 'var(--ink)',
  },
  formField: {
    background: 'var(--sheet)',
    borderColor: 'var(--border)',
    hoverBorderColor: 'var(--ink)',
    focusBorderColor: 'var(--border)',
    color: 'var(--ink)',
    placeholderColor: 'var(--quiet)',
    iconColor: 'var(--quiet)',
    shadow: 'none',
  },
  overlay: {
    modal: { background: 'var(--sheet)', borderColor: 'var(--border)', color: 'var(--ink)' },
    select: { background: 'var(--sheet)', borderColor: 'var(--border)', color: 'var(--ink)' },
    popover: { background: 'var(--sheet)', borderColor: 'var(--border)', color: 'var(--ink)' },
  },
  list: {
    option: {
      focusBackground: 'var(--tint)',
      selectedBackground: 'var(--tint)',
      selectedFocusBackground: 'var(--tint)',
      color: 'var(--ink)',
      focusColor: 'var(--ink)',
      selectedColor: 'var(--ink)',
      selectedFocusColor: 'var(--ink)',
    },
  },
};
/** PrimeVue's behaviour with our own ink and paper. */
export const preset = definePreset(Aura, {
  semantic: {
    formField: {
      paddingX: '9px',
      paddingY: '5px',
      borderRadius: '5px',
      focusRing: { width: '2px', style: 'solid', color: 'var(--action)', offset: '2px' },
    },
    focusRing: { width: '2px', style: 'solid', color: 'var(--action)', offset: '2px' },
    colorScheme: { light: surface, dark: surface },
  },
});
