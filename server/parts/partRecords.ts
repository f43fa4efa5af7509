/** Records of Parts and campaigns, as they are kept and as they are told. */
import { Op, type Transaction } from 'sequelize';
import { wholeBody, type PartKind, type PartRecord, type Role } from '@tracheon/core/contract';
import type { Models, PartAttributes } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';

export const toRecord = <K extends PartKind>(p: PartAttributes): PartRecord<K> => ({
  id: p.id,
  kind: p.kind as K,
  version: p.version,
  state: p.state,
  key: p.key,
  body: wholeBody(p.kind as K, p.body),
  createdAt: p.createdAt.toISOString(),
  updatedAt: p.updatedAt.toISOString(),
});

/**
 * An intake key books conversions: who may not change the network does not see it. Where the postback URL carries a secret,
 * it stands behind the key: every URL that is made of the key has it.
 */
export const asSeenBy =
  (role: Role, secretOf: (key: string) => string) =>
  (record: PartRecord): PartRecord => {
    if (record.kind !== 'network') return record;
    if (role === 'viewer') return { ...record, key: '' };
    return (record as PartRecord<'network'>).body.callerProof === 'secret'
      ? { ...record, key: `${record.key}-${secretOf(record.key)}` }
      : record;
  };

export interface Editor {
  deskId: string;
  memberId: string;
}

export async function listParts(
  models: Models,
  deskId: string,
  kind?: PartKind,
  transaction?: Transaction,
): Promise<PartRecord[]> {
  const rows = await models.Part.findAll({
    where: { deskId, ...(kind ? { kind } : {}) },
    order: [['id', 'ASC']],
    ...(transaction ? { transaction } : {}),
  });
  return rows.map((r) => toRecord(r.get()));
}

export async function findPart(
  models: Models,
  deskId: string,
  kind: PartKind,
  id: string,
): Promise<PartRecord> {
  const found = await models.Part.findOne({ where: { id, deskId, kind } });
  if (!found) throw new Problem('not_found');
  return toRecord(found.get());
}

/** True when no other live record of this kind has the name, whatever its case. */
export async function nameIsFree(
  models: Models,
  deskId: string,
  kind: PartKind,
  name: string,
  exceptId: string,
): Promise<boolean> {
  const { fn, col, where } = models.sequelize.Sequelize;
  const taken = await models.Part.count({
    where: {
      [Op.and]: [
        { deskId, kind, state: { [Op.ne]: 'archived' }, id: { [Op.ne]: exceptId } },
        where(fn('lower', col('name')), name.trim().toLowerCase()),
      ],
    },
  });
  return taken === 0;
}
