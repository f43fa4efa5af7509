/**
 * A group of fields that is switched off as a whole. A native fieldset does this for native inputs only; components that
 * draw their own control ask here.
 */
import { computed, inject, provide, type ComputedRef, type InjectionKey } from 'vue';

const key: InjectionKey<ComputedRef<boolean>> = Symbol('fields disabled');

export const useFieldsDisabled = (): ComputedRef<boolean> =>
  inject(
    key,
    computed(() => false),
  );

export function provideFieldsDisabled(isDisabled: () => boolean): void {
  const outer = useFieldsDisabled();
  provide(
    key,
    computed(() => outer.value || isDisabled()),
  );
}
