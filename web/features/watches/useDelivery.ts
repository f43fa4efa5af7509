/** Members and the ways by which a desk's notices reach them. */
import type { MemberRow, NoticeSettings } from '@tracheon/core/contract';
import { onMounted, ref, shallowRef } from 'vue';
import { ask } from '../../app/api.ts';
import { onNews } from '../../app/stream.ts';

const members = shallowRef<MemberRow[]>([]);
const settings = shallowRef<NoticeSettings | null>(null);
const ownFigures = shallowRef<{ id: string; name: string }[]>([]);

export function useDelivery() {
  const state = ref<'loading' | 'ready' | 'failed'>(settings.value ? 'ready' : 'loading');
  const failure = ref('');
  async function load(): Promise<void> {
    try {
      [members.value, settings.value, ownFigures.value] = await Promise.all([
        ask('listMembers'),
        ask('noticeSettings'),
        ask('listOwnFigures'),
      ]);
      state.value = 'ready';
    } catch (error) {
      [failure.value, state.value] = [(error as Error).message, 'failed'];
    }
  }
  onMounted(load);
  onNews(['watches'], load);
  return { members, settings, ownFigures, state, failure, load };
}
/** Names of members and of the desk's own figures; empty until they are loaded. */
export const deliveryName = (id: string): string =>
  members.value.find((m) => m.id === id)?.name ?? ownFigures.value.find((f) => f.id === id)?.name ?? '';
