/**
 * PrimeVue's Select takes the focus when its label is clicked. It asks first whether the label can be seen, for which the
 * browser lays out the whole page, once for each Select that comes and once for each that goes. A label that nobody sees
 * is clicked by nobody.
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
// Another version of PrimeVue may be built otherwise, and does as it does.
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
