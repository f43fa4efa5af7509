/** The forms of Parts, for screens that make one beside their own work. The app provides them: no feature knows another. */
import { inject, provide, type Component } from 'vue';

export interface PartForms {
  forms: Record<'network' | 'source' | 'landing-page', Component>;
  templateChoice: Component;
}
const key = Symbol('part forms');

export const providePartForms = (forms: PartForms): void => provide(key, forms);

/** Throws when nobody provides them. */
export function usePartForms(): PartForms {
  const found = inject<PartForms | null>(key, null);
  if (!found) throw new Error('No forms of Parts are provided.');
  return found;
}
