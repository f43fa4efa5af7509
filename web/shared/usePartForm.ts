/** The form of a record of Parts or a campaign: a draft form that creates the record, or saves the version it began from. */
import { useToast } from 'primevue/usetoast';
import type { z } from 'zod';
import type { PartBodies, PartKind, PartRecord } from '@tracheon/core/contract';
import { useParts } from '../app/parts.ts';
import { useBeginning } from './newPart.ts';
import { withoutBlankRows } from './newRows.ts';
import { useDraftForm } from './useDraftForm.ts';

export function usePartForm<K extends PartKind>(
  kind: K,
  schema: z.ZodType<PartBodies[K]>,
  blank: PartBodies[K],
  part: PartRecord<K> | undefined,
  asSent: (value: PartBodies[K]) => PartBodies[K] = (value) => value,
) {
  const parts = useParts();
  const toast = useToast();
  const beginning = part ? null : useBeginning();
  const initial = beginning ? ({ ...blank, ...beginning.body } as PartBodies[K]) : blank;
  const draftKey = `${kind}.${part?.id ?? beginning?.key ?? 'new'}`;
  const form = useDraftForm<PartBodies[K]>(schema, initial, draftKey, part, (value) =>
    withoutBlankRows(kind, value),
  );

  /** The record once it is saved; null when it was not, and the form says why. */
  async function save(): Promise<PartRecord<K> | null> {
    let record: PartRecord | null = null;
    await form.save(async (value, version) => {
      record = part
        ? await parts.update(part, asSent(value), version)
        : await parts.create(kind, asSent(value));
      return record;
    });
    if (record !== null)
      toast.add({ severity: 'secondary', summary: 'Saved', detail: form.body.name, life: 2500 });
    return record as PartRecord<K> | null;
  }
  return { ...form, save };
}
