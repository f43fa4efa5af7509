/** How a partner's access to an offer is told to the desk, and what can be done about it. */
import type { AccessRow, AccessState } from '@tracheon/core/contract';

export function accessSays({ access, state }: Pick<AccessRow, 'access' | 'state'>): string {
  if (access === 'hidden') return 'not on the partner page';
  if (state === 'none')
    return { open: 'open to every partner', request: 'has not asked', invitation: 'not invited' }[access];
  return { asked: 'asks for access', approved: 'has access', refused: 'refused', ended: 'access ended' }[
    state
  ];
}

/** The word of a button. */
export function accessAct(from: AccessState | 'none', to: AccessState): string {
  if (to === 'approved') return from === 'asked' ? 'Approve' : 'Give access';
  if (to === 'refused') return 'Refuse';
  if (to === 'ended') return 'End access';
  return 'Undo';
}
