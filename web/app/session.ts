/** Who is signed in, on which desk, and what their role allows. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Me } from '@tracheon/core/contract';
import { defaultNameRules } from '@tracheon/core/naming';
import { ask, setCsrfToken, setDesk } from './api.ts';

export const useSession = defineStore('session', () => {
  const me = ref<Me | null>(null);
  const load = async (): Promise<void> => {
    // Whatever desk the session is on by now: from here on it is this one.
    setDesk('');
    me.value = await ask('me');
    setCsrfToken(me.value.csrfToken);
    setDesk(me.value.desk.id);
  };
  const signIn = async (email: string, password: string): Promise<void> => {
    const { csrfToken } = await ask('signIn', { body: { email, password } });
    setCsrfToken(csrfToken);
    await load();
  };
  const signOut = async (): Promise<void> => {
    await ask('signOut');
    me.value = null;
  };
  /** Everything shown belongs to the desk before, so the page begins anew. */
  const switchDesk = async (deskId: string): Promise<void> => {
    await ask('switchDesk', { body: { deskId } });
    location.assign('/today');
  };
  return {
    me,
    switchDesk,
    load,
    signIn,
    signOut,
    desk: computed(
      () =>
        me.value?.desk ?? {
          id: '',
          name: '',
          zone: 'UTC',
          currency: 'EUR',
          fallbackUrl: '',
          nameRules: defaultNameRules,
        },
    ),
    canEdit: computed(() => me.value?.role === 'editor' || me.value?.role === 'owner'),
    isOwner: computed(() => me.value?.role === 'owner'),
  };
});
