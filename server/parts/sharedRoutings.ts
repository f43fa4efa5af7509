/**
 * Routings that several campaigns share. Each campaign's record holds the routing whole, so that visits, reports and trails
 * read it like any other; here it is kept the same in all of them.
 *
 * A campaign that begins to share takes over what is shared. From then on a change in one of them is a change of all, in one
 * transaction, each with a version of its own. An archived campaign is left alone, and takes over what is shared when it
 * comes back.
 */
import { isDeepStrictEqual } from 'node:util';
import { Op, UniqueConstraintError, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import {
  wholeBody,
  type CampaignInput,
  type PartRecord,
  type Routing,
  type SharedRoutingRow,
} from '@tracheon/core/contract';
import { asRouting } from '@tracheon/core/routing';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';

export interface Sharing {
  models: Models;
  deskId: string;
  transaction?: Transaction;
}

const using = ({ models, deskId }: Sharing, id: string) => ({
  deskId,
  kind: 'campaign',
  state: { [Op.ne]: 'archived' },
  [Op.and]: models.sequelize.where(models.sequelize.literal(`body->>'sharedRoutingId'`) as never, id),
});

/** The campaign's body with what is shared, where it begins to share; a routing that is gone is its own again. */
export async function takeOver(
  { models, deskId, transaction }: Sharing,
  body: CampaignInput,
  before: string,
): Promise<CampaignInput> {
  const id = body.sharedRoutingId;
  if (id === '' || id === before) return body;
  const found = await models.SharedRouting.findOne({
    where: { id, deskId },
    ...(transaction ? { transaction, lock: transaction.LOCK.SHARE } : {}),
  });
  if (!found) return { ...body, sharedRoutingId: '' };
  return { ...body, routing: found.get().routing, offerId: '', landingPageId: '' };
}

export interface Follower {
  record: PartRecord;
  /** Its version before. */
  from: number;
}
type Save = (id: string, version: number, body: CampaignInput) => Promise<PartRecord>;

/** Brings the other campaigns of each routing that was changed to the same; `save` writes one of them. */
export async function bringAlong(
  sharing: Sharing,
  changed: readonly PartRecord[],
  save: Save,
): Promise<Follower[]> {
  const { models, deskId, transaction } = sharing;
  const followers: Follower[] = [];
  for (const [id, routing] of routingsOf(changed)) {
    const where = { id, deskId };
    const found = await models.SharedRouting.findOne({
      where,
      ...(transaction ? { transaction, lock: transaction.LOCK.UPDATE } : {}),
    });
    if (!found || isDeepStrictEqual(found.get().routing, routing)) continue;
    await models.SharedRouting.update({ routing }, { where, ...(transaction ? { transaction } : {}) });
    const others = await models.Part.findAll({
      where: { ...using(sharing, id), id: { [Op.notIn]: changed.map((c) => c.id) } } as never,
      order: [['id', 'ASC']],
      ...(transaction ? { transaction, lock: transaction.LOCK.UPDATE } : {}),
    });
    for (const { id: campaignId, version, body } of others.map((o) => o.get())) {
      const record = await save(campaignId, version, { ...wholeBody('campaign', body), routing });
      followers.push({ record, from: version });
    }
  }
  return followers;
}

/** By shared routing; campaigns of one that were changed together must agree. */
function routingsOf(changed: readonly PartRecord[]): Map<string, Routing> {
  const found = new Map<string, Routing>();
  for (const { kind, body } of changed) {
    if (kind !== 'campaign') continue;
    const campaign = body as CampaignInput;
    const id = campaign.sharedRoutingId;
    if (id === '') continue;
    const routing = asRouting(campaign);
    const before = found.get(id);
    if (before && !isDeepStrictEqual(before, routing))
      throw new Problem('invalid_input', {
        fields: [{ path: 'routing', message: 'Campaigns that share a routing must get the same one.' }],
      });
    found.set(id, routing);
  }
  return found;
}

export async function listShared(sharing: Sharing): Promise<SharedRoutingRow[]> {
  const { models, deskId } = sharing;
  const all = await models.SharedRouting.findAll({ where: { deskId }, order: [['name', 'ASC']] });
  return Promise.all(all.map((one) => rowOf(sharing, one.get())));
}

async function rowOf(
  sharing: Sharing,
  { id, name, routing }: { id: string; name: string; routing: Routing },
): Promise<SharedRoutingRow> {
  const campaigns = await sharing.models.Part.findAll({
    where: using(sharing, id) as never,
    attributes: ['id', 'name'],
    order: [['name', 'ASC']],
    ...(sharing.transaction ? { transaction: sharing.transaction } : {}),
  });
  return {
    id,
    name,
    routing,
    campaigns: campaigns.map((c) => ({ id: c.get().id, name: c.get().name })),
  };
}

const taken = (error: unknown): never => {
  if (error instanceof UniqueConstraintError)
    throw new Problem('name_taken', {
      fields: [{ path: 'name', message: 'Another shared routing has this name.' }],
    });
  throw error;
};

/** Within the caller's transaction; the campaign is saved by `save`. */
export async function makeShared(
  sharing: Sharing,
  name: string,
  campaign: PartRecord<'campaign'>,
  save: Save,
): Promise<SharedRoutingRow> {
  const { models, deskId, transaction } = sharing;
  const shared = { id: ulid(), deskId, name, routing: asRouting(wholeBody('campaign', campaign.body)) };
  await models.SharedRouting.create(shared, transaction ? { transaction } : {}).catch(taken);
  await save(campaign.id, campaign.version, {
    ...wholeBody('campaign', campaign.body),
    routing: shared.routing,
    sharedRoutingId: shared.id,
  });
  return rowOf(sharing, shared);
}

export async function renameShared(sharing: Sharing, id: string, name: string): Promise<SharedRoutingRow> {
  const { models, deskId } = sharing;
  await models.SharedRouting.update({ name }, { where: { id, deskId } }).catch(taken);
  const found = await models.SharedRouting.findOne({ where: { id, deskId } });
  if (!found) throw new Problem('not_found');
  return rowOf(sharing, found.get());
}

/** Within a transaction, so that no campaign begins to share it meanwhile. */
export async function removeShared(sharing: Sharing, id: string): Promise<void> {
  const { models, deskId, transaction } = sharing;
  const found = await models.SharedRouting.findOne({
    where: { id, deskId },
    ...(transaction ? { transaction, lock: transaction.LOCK.UPDATE } : {}),
  });
  if (!found) throw new Problem('not_found');
  const { campaigns } = await rowOf(sharing, found.get());
  if (campaigns.length > 0)
    throw new Problem('still_in_use', { detail: `Used by ${campaigns.map((c) => c.name).join(', ')}.` });
  await models.SharedRouting.destroy({ where: { id, deskId }, ...(transaction ? { transaction } : {}) });
}
