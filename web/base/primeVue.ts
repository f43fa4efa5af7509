/** PrimeVue as both apps use it: one look, set once before anything is drawn. */
import BaseComponent from '@primevue/core/basecomponent';
import BaseDirective from '@primevue/core/basedirective';
import PrimeVue from 'primevue/config';
import Ripple from 'primevue/ripple';
import { markRaw, type App } from 'vue';
import { searchOnlyWhereGiven } from './ownParts.ts';
import { preset } from './theme.ts';

type Steps = Record<string, unknown>;
const nothing = (): void => undefined;

/**
 * PrimeVue lets a program change the theme at any time. So each new control writes its styles again, and the browser reads
 * them and computes the look of the whole page again. Our apps have one theme (light and dark are two sets of its colours):
 * their styles are written once. Each control also looks for hooks of the program at seven moments, and prepares to ripple
 * when it is pressed. Our apps have no hooks and no ripples.
 */
function withoutWhatNobodyUses(): void {
  const ofControls = (BaseComponent as unknown as { methods: Steps }).methods;
  searchOnlyWhereGiven(ofControls);
  // Another version of PrimeVue may use other names. Then these parts of it stay as they are.
  for (const steps of [ofControls, BaseDirective as unknown as Steps])
    for (const name of ['_themeChangeListener', '_removeThemeListeners', '_hook'])
      if (name in steps) steps[name] = nothing;
  for (const moment of Object.keys(Ripple)) delete (Ripple as unknown as Steps)[moment];
}

export function usePrimeVue(app: App): void {
  withoutWhatNobodyUses();
  // A `pt` for all controls would not be found here: see ownParts.ts.
  app.use(PrimeVue, {
    // Weeks begin on Monday, as reports count them.
    locale: { firstDayOfWeek: 1 },
    // Raw: PrimeVue would watch each of its thousand values.
    theme: { preset: markRaw(preset), options: { darkModeSelector: '[data-theme="dark"]', cssLayer: true } },
  });
}
