/** Who is signed in, and for which partner. */
import { computed, ref } from 'vue';
import type { PartnerMe } from '@tracheon/core/contract/partnerPage';
import { ask, setCsrfToken, setPartner } from './ask.ts';

export const me = ref<PartnerMe | null>(null);
export const zone = computed(() => me.value?.desk.zone ?? 'UTC');

export async function loadMe(): Promise<void> {
  // Whatever partner the session is on by now: from here on it is this one.
  setPartner('');
  me.value = await ask('me');
  setPartner(me.value.partner.id);
  setCsrfToken(me.value.csrfToken);
}
export async function signIn(email: string, password: string): Promise<void> {
  const { csrfToken } = await ask('signIn', { body: { email, password } });
  setCsrfToken(csrfToken);
  await loadMe();
}
export async function signOut(): Promise<void> {
  await ask('signOut');
  me.value = null;
  location.assign('/sign-in');
}
/** Everything shown is of the partner before, so the page begins anew. */
export async function switchTo(accessId: string): Promise<void> {
  await ask('switchPartner', { body: { accessId } });
  location.assign('/offers');
}
