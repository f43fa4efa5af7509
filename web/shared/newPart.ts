/** What a new record begins with, when it is made from another or from template: handed to whichever form opens. */
import { inject, provide, type InjectionKey, type Ref } from 'vue';

export interface Beginning {
  /** Tells drafts of different beginnings apart. */
  key: string;
  body: object;
}
const KEY: InjectionKey<Ref<Beginning | null>> = Symbol('what a new record begins with');

export const provideBeginning = (beginning: Ref<Beginning | null>): void => provide(KEY, beginning);
export const useBeginning = (): Beginning | null => inject(KEY, null)?.value ?? null;
