/**
 * PrimeVue's Select takes the focus when its label is clicked. PrimeVue first checks whether the label is visible. For this
 * check the browser lays out the whole page, once when a Select appears and once when it goes. The check isn't needed:
 * nobody can click a label that isn't visible.
 */
import Select from 'primevue/select';

interface Instance {
  labelId?: string;
  labelClickListener: (() => void) | null;
  $refs: { focusInput?: HTMLElement };
}
const labelOf = ({ labelId }: Instance): Element | null =>
  labelId ? document.querySelector(`label[for="${labelId}"]`) : null;

const { methods } = Select as unknown as { methods?: Record<string, unknown> };
// Another version of PrimeVue may be built differently. Then its Select stays as it is.
if (methods?.bindLabelClickListener && methods.unbindLabelClickListener)
  Object.assign(methods, {
    bindLabelClickListener(this: Instance): void {
      if (this.labelClickListener) return;
      this.labelClickListener = () => this.$refs.focusInput?.focus();
      labelOf(this)?.addEventListener('click', this.labelClickListener);
    },
    unbindLabelClickListener(this: Instance): void {
      if (this.labelClickListener) labelOf(this)?.removeEventListener('click', this.labelClickListener);
      this.labelClickListener = null;
    },
  });
export const PlainSelect = Select;
