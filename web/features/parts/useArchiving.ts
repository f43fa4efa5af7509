/** Archiving a part, which must be in no use, and restoring it. */
import { useConfirm } from 'primevue/useconfirm';
import { useToast } from 'primevue/usetoast';
import type { PartRecord } from '@tracheon/core/contract';
import { ask } from '../../app/api.ts';
import { useParts } from '../../app/parts.ts';

export function useArchiving() {
  const parts = useParts();
  const confirm = useConfirm();
  const toast = useToast();

  async function archive(p: PartRecord): Promise<void> {
    const users = await ask('usedBy', { kind: p.kind, id: p.id }).catch(() => []);
    if (users.length > 0) {
      toast.add({
        severity: 'warn',
        summary: `${p.body.name} is in use`,
        detail: `Used by ${users.map((u) => u.name).join(', ')}. Remove it there first.`,
        life: 6000,
      });
      return;
    }
    confirm.require({
      header: `Archive ${p.body.name}?`,
      message: 'Tracheon hides it from the lists. Its figures stay, and you can restore it at any time.',
      acceptLabel: 'Archive',
      rejectLabel: 'Cancel',
      accept: () => void change(p, 'archived'),
    });
  }
  async function change(p: PartRecord, state: PartRecord['state']): Promise<void> {
    try {
      await parts.setState(p, state);
    } catch (error) {
      toast.add({ severity: 'error', summary: (error as Error).message, life: 6000 });
    }
  }
  return { archive, change };
}
