/** PrimeVue as both apps use it: one look, set once before anything is drawn. */
import BaseComponent from '@primevue/core/basecomponent';
import BaseDirective from '@primevue/core/basedirective';
import PrimeVue from 'primevue/config';
import Ripple from 'primevue/ripple';
import { markRaw, type App } from 'vue';
import { preset } from './theme.ts';

type Steps = Record<string, unknown>;
const nothing = (): void => undefined;

/**
 * Each control, when it is made, has all styles that are there already written once more, for a theme that may have changed
 * meanwhile: the browser reads them anew and works out the look of the whole page again. Here light and dark are one theme
 * with two sets of colours, and styles are written once. Each control also looks for hooks that a program may have set, at
 * seven moments; none here has any. Nor does anything here ripple when it is pressed.
 */
function withoutWhatNobodyUses(): void {
  const ofControls = (BaseComponent as unknown as { methods: Steps }).methods;
  // Another version of PrimeVue may name them otherwise, and does as it does.
  for (const steps of [ofControls, BaseDirective as unknown as Steps])
    for (const name of ['_themeChangeListener', '_removeThemeListeners', '_hook'])
      if (name in steps) steps[name] = nothing;
  for (const moment of Object.keys(Ripple)) delete (Ripple as unknown as Steps)[moment];
}

export function usePrimeVue(app: App): void {
  withoutWhatNobodyUses();
  app.use(PrimeVue, {
    // Weeks begin on Monday, as reports count them.
    locale: { firstDayOfWeek: 1 },
    // Raw: PrimeVue would watch each of its thousand values.
    theme: { preset: markRaw(preset), options: { darkModeSelector: '[data-theme="dark"]', cssLayer: true } },
  });
}
