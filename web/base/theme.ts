/** Light, dark, or as the system says; set on the root before anything is drawn. */
import { definePreset } from '@primeuix/themes';

import { ref } from 'vue';
import { presets } from './presets.ts';

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

/** Off is as grey as a border, on has the colour of what acts; the handle is paper. */
const toggleswitch = {
  root: { background: 'var(--border)', hoverBackground: 'var(--quiet)', disabledBackground: 'var(--tint)' },
  handle: {
    background: 'var(--sheet)',
    hoverBackground: 'var(--sheet)',
    checkedBackground: 'var(--sheet)',
    checkedHoverBackground: 'var(--sheet)',
    disabledBackground: 'var(--quiet)',
  },
};
const focusRing = { width: '2px', style: 'solid', color: 'var(--action)', offset: '2px', shadow: 'none' };
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
    disabledBackground: 'var(--tint)',
    borderColor: 'var(--border)',
    hoverBorderColor: 'var(--ink)',
    focusBorderColor: 'var(--border)',
    invalidBorderColor: 'var(--error)',
    color: 'var(--ink)',
    disabledColor: 'var(--quiet)',
    placeholderColor: 'var(--quiet)',
    invalidPlaceholderColor: 'var(--quiet)',
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
const inBoth = <T>(tokens: T) => ({ light: tokens, dark: tokens });

/** Filled: the one main action. Secondary: outlined ink. Text and link: as quiet as a word can be. */
const button = {
  root: {
    borderRadius: '5px',
    gap: '7px',
    paddingX: '12px',
    paddingY: '5px',
    iconOnlyWidth: '32px',
    sm: { fontSize: '12px', paddingX: '8px', paddingY: '2px', iconOnlyWidth: '26px' },
    label: { fontWeight: '500' },
    focusRing,
  },
  colorScheme: inBoth({
    root: {
      primary: {
        background: 'var(--action)',
        hoverBackground: 'var(--action)',
        activeBackground: 'var(--action)',
        borderColor: 'var(--action)',
        hoverBorderColor: 'var(--ink)',
        activeBorderColor: 'var(--ink)',
        color: 'var(--on-action)',
        hoverColor: 'var(--on-action)',
        activeColor: 'var(--on-action)',
        focusRing: { color: 'var(--action)', shadow: 'none' },
      },
      secondary: {
        background: 'var(--sheet)',
        hoverBackground: 'var(--sheet)',
        activeBackground: 'var(--tint)',
        borderColor: 'var(--border)',
        hoverBorderColor: 'var(--ink)',
        activeBorderColor: 'var(--ink)',
        color: 'var(--ink)',
        hoverColor: 'var(--ink)',
        activeColor: 'var(--ink)',
        focusRing: { color: 'var(--action)', shadow: 'none' },
      },
    },
    text: {
      primary: { hoverBackground: 'var(--tint)', activeBackground: 'var(--tint)', color: 'var(--action)' },
      secondary: { hoverBackground: 'var(--tint)', activeBackground: 'var(--tint)', color: 'var(--ink)' },
    },
    link: { color: 'var(--action)', hoverColor: 'var(--action)', activeColor: 'var(--action)' },
  }),
};
const datatable = {
  headerCell: {
    background: 'var(--sheet)',
    hoverBackground: 'var(--tint)',
    selectedBackground: 'var(--sheet)',
    color: 'var(--quiet)',
    hoverColor: 'var(--ink)',
    selectedColor: 'var(--ink)',
    gap: '4px',
    sm: { padding: '4px 8px' },
    borderColor: 'var(--border)',
    focusRing: { ...focusRing, offset: '-2px' },
  },
  columnTitle: { fontWeight: '500' },
  row: {
    background: 'var(--sheet)',
    hoverBackground: 'var(--tint)',
    selectedBackground: 'var(--sheet)',
    selectedColor: 'var(--ink)',
    focusRing: { ...focusRing, offset: '-2px' },
  },
  bodyCell: { sm: { padding: '5px 8px' } },
  footerCell: { sm: { padding: '5px 8px' }, background: 'var(--sheet)' },
  columnFooter: { fontWeight: '600' },
  sortIcon: { color: 'var(--quiet)', size: '11px' },
  colorScheme: inBoth({
    root: { borderColor: 'var(--hairline)' },
    bodyCell: { selectedBorderColor: 'var(--hairline)' },
  }),
};
const choice = {
  root: {
    width: '16px',
    height: '16px',
    focusRing,
    checkedBackground: 'var(--action)',
    checkedBorderColor: 'var(--action)',
  },
};
const togglebutton = {
  root: {
    padding: '0',
    borderRadius: '5px',
    gap: '6px',
    fontWeight: '500',
    sm: { padding: '0', fontSize: '13px' },
  },
  content: {
    padding: '3px 11px',
    borderRadius: '0',
    checkedShadow: 'none',
    sm: { padding: '3px 11px' },
  },
  colorScheme: inBoth({
    root: {
      background: 'var(--sheet)',
      checkedBackground: 'var(--ink)',
      hoverBackground: 'var(--tint)',
      borderColor: 'var(--border)',
      color: 'var(--ink)',
      hoverColor: 'var(--ink)',
      checkedColor: 'var(--ground)',
      checkedBorderColor: 'var(--ink)',
    },
    content: { checkedBackground: 'var(--ink)' },
  }),
};
const accordion = {
  panel: { borderWidth: '1px 0 0 0' },
  header: {
    padding: '8px 0',
    fontWeight: '600',
    color: 'var(--ink)',
    hoverColor: 'var(--ink)',
    activeColor: 'var(--ink)',
    background: 'transparent',
    hoverBackground: 'transparent',
    activeBackground: 'transparent',
    activeHoverBackground: 'transparent',
    focusRing: { ...focusRing, offset: '2px' },
  },
  content: { padding: '0 0 10px', background: 'transparent' },
};
const said = (edge: string, color: string) => ({
  background: 'var(--sheet)',
  borderColor: edge,
  color,
  detailColor: 'var(--quiet)',
  shadow: 'none',
  closeButton: { hoverBackground: 'var(--tint)', focusRing: { color: 'var(--action)', shadow: 'none' } },
});
const toast = {
  root: { width: '21rem' },
  summary: { fontSize: '13px', fontWeight: '600' },
  detail: { fontSize: '13px', fontWeight: '400' },
  closeIcon: { size: '0.75rem' },
  colorScheme: inBoth({
    root: { blur: '0' },
    secondary: said('var(--ink)', 'var(--ink)'),
    warn: said('var(--error)', 'var(--ink)'),
    error: said('var(--error)', 'var(--error)'),
  }),
};
/** PrimeVue's behaviour with our own ink and paper: hairlines, no shadows, dense. */
export const preset = definePreset(presets, {
  primitive: { borderRadius: { none: '0', xs: '3px', sm: '4px', md: '5px', lg: '6px', xl: '6px' } },
  semantic: {
    transitionDuration: '0.12s',
    formField: { paddingX: '9px', paddingY: '5px', borderRadius: '5px', focusRing },
    focusRing,
    list: { padding: '4px', gap: '1px', option: { padding: '5px 8px', borderRadius: '4px' } },
    overlay: {
      select: { borderRadius: '5px', shadow: 'none' },
      popover: { borderRadius: '5px', padding: '10px', shadow: 'none' },
      modal: { borderRadius: '6px', padding: '18px', shadow: 'none' },
      navigation: { shadow: 'none' },
    },
    colorScheme: inBoth(surface),
  },
  components: {
    button,
    datatable,
    checkbox: choice,
    radiobutton: { ...choice, icon: { size: '6px' } },
    togglebutton,
    toggleswitch: { colorScheme: { light: toggleswitch, dark: toggleswitch } },
    toast,
    accordion,
    datepicker: {
      panel: { shadow: 'none', borderColor: 'var(--border)', padding: '8px' },
      date: { width: '28px', height: '28px', padding: '2px' },
      dayView: { margin: '6px 0 0' },
      weekDay: { padding: '2px' },
    },
    message: {
      root: { borderWidth: '1px' },
      colorScheme: inBoth({
        warn: {
          background: 'var(--tint)',
          borderColor: 'var(--error)',
          color: 'var(--ink)',
          shadow: 'none',
        },
      }),
    },
    tooltip: {
      root: { shadow: 'none' },
      colorScheme: inBoth({ root: { background: 'var(--ink)', color: 'var(--ground)' } }),
    },
    drawer: { root: { background: 'var(--sheet)', borderColor: 'var(--border)', shadow: 'none' } },
  },
});
