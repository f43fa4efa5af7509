/** The IDs of partners in conversions: advertisers that store no click ID tell a partner's ID instead. */
import { Op, type Transaction } from 'sequelize';
import type { PartnerInput } from '@tracheon/core/contract';
import type { Models, PartAttributes } from '../db/models.ts';
import { lockWords, partnersLock } from '../db/transaction.ts';

/** One ID means one partner. */
export async function partnerIdTroubles(
  models: Models,
  deskId: string,
  { knownAs }: PartnerInput,
  id: string,
  transaction: Transaction,
): Promise<{ path: string; message: string }[]> {
  // One at a time: two with the same ID, saved at once, would both find it free.
  await lockWords(models, partnersLock(deskId), transaction);
  const others = await models.Part.findAll({
    where: { deskId, kind: 'partner', id: { [Op.ne]: id } },
    transaction,
  });
  return knownAs.flatMap((told, i) => {
    const taken = others
      .map((o) => o.get())
      .find((o) => o.id === told || (o.body as PartnerInput).knownAs.includes(told));
    return taken ? [{ path: `knownAs.${i}`, message: `${taken.name} has this ID already.` }] : [];
  });
}

/** Conversions that were booked by an ID before it was this partner's become theirs; those of an ID that it lost, nobody's. */
export async function attachConversions(
  models: Models,
  { deskId, id, body }: Pick<PartAttributes, 'deskId' | 'id' | 'body'>,
  transaction: Transaction,
): Promise<void> {
  await models.sequelize.query(
    `WITH moved AS (
       UPDATE conversions SET brought_by = CASE WHEN partner_id IN (:ids) THEN :id ELSE '' END, updated_at = now(),
         -- What the partner gets for them is worked out with the next look at payouts that are due.
         partner_due_at = now()
       WHERE desk_id = :deskId AND partner_id <> ''
         AND (brought_by = :id) IS DISTINCT FROM (partner_id IN (:ids)) AND (brought_by IN ('', :id))
       RETURNING id, visit_at)
     INSERT INTO fact_changes (desk_id, kind, subject_id, day)
     SELECT :deskId, 'conversion', id, (visit_at AT TIME ZONE 'UTC')::date FROM moved`,
    { replacements: { deskId, id, ids: [id, ...(body as PartnerInput).knownAs] }, transaction },
  );
}
