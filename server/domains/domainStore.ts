/** Tracking domains of a desk, with the paths of their own; a change goes live like one of Parts. */
import { UniqueConstraintError, type Transaction } from 'sequelize';
import { ulid } from 'ulid';
import type { DomainCheck, DomainInput, DomainRow } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, inTransaction, lockWords } from '../db/transaction.ts';
import { Problem } from '../problems/problem.ts';

type Stored = Omit<DomainRow, 'check'> & { check: DomainCheck | null };

async function stored(models: Models, where: { deskId: string; id?: string }): Promise<Stored[]> {
  const domains = await models.TrackingDomain.findAll({ where, order: ['id'] });
  const paths = await models.OwnPath.findAll({
    where: { domainId: domains.map((d) => d.get().id) },
    order: ['path'],
  });
  return domains.map((d) => {
    const { id, origin, isDefault, fallbackUrl, lastCheck } = d.get();
    const own = paths.map((p) => p.get()).filter((p) => p.domainId === id);
    return {
      id,
      origin,
      isDefault,
      fallbackUrl,
      paths: own.map(({ path, campaignId }) => ({ path, campaignId })),
      check: lastCheck,
    };
  });
}

/** The desk's own, then the address under which this server listens; that one is the default while no other is. */
export async function listDomains(models: Models, deskId: string, listening: string): Promise<DomainRow[]> {
  const rows = await stored(models, { deskId });
  const own: DomainRow = {
    id: '',
    origin: listening,
    isDefault: !rows.some((r) => r.isDefault),
    fallbackUrl: '',
    paths: [],
    check: null,
  };
  return [...rows, own];
}

export async function oneDomain(models: Models, deskId: string, id: string): Promise<Stored> {
  const [found] = await stored(models, { deskId, id });
  if (!found) throw new Problem('not_found');
  return found;
}

export interface TakenHosts {
  /** `host:port` of the listeners themselves: they serve all desks, so none may have them. */
  own: ReadonlySet<string>;
  /** Hosts of which no link may be, at whatever port. */
  closed: ReadonlySet<string>;
}

/** Tracking domains that are at the host, whatever their port; of all desks. */
export async function domainsAt(models: Models, hostname: string): Promise<string[]> {
  const all = await models.TrackingDomain.findAll({ attributes: ['origin'] });
  return all.map((d) => d.get().origin).filter((origin) => new URL(origin).hostname === hostname);
}

export async function saveDomain(
  models: Models,
  deskId: string,
  input: DomainInput,
  existingId: string | null,
  taken: TakenHosts,
): Promise<DomainRow> {
  const id = existingId ?? ulid();
  const { origin, isDefault, fallbackUrl } = input;
  const { host, hostname } = new URL(origin);
  if (taken.closed.has(hostname))
    throw refused(
      'origin',
      'People sign in at this host. Tracking links need another one, because cookies ignore ports.',
    );
  if (taken.own.has(host))
    throw refused(
      'origin',
      'This is the server’s own address. It works for every desk, so no desk can own it.',
    );
  await inTransaction(models, async (transaction) => {
    // One at a time: two that are to be the default would both find none.
    await lockWords(models, `domains|${deskId}`, transaction);
    const before = await models.TrackingDomain.findOne({ where: { id, deskId }, transaction });
    if (existingId !== null && !before) throw new Problem('not_found');
    if (isDefault)
      await models.TrackingDomain.update({ isDefault: false }, { where: { deskId }, transaction });
    const values = { id, deskId, origin, host, isDefault, fallbackUrl };
    if (!before) await models.TrackingDomain.create(values, { transaction });
    else
      await models.TrackingDomain.update(
        before.get().origin === origin ? values : { ...values, lastCheck: null },
        { where: { id, deskId }, transaction },
      );
    await replacePaths(models, deskId, id, input, transaction);
    await bumpConfiguration(models, deskId, transaction);
  }).catch((error: unknown) => {
    if (error instanceof UniqueConstraintError)
      throw new Problem('name_taken', {
        fields: [{ path: 'origin', message: 'This host is already a tracking domain.' }],
      });
    throw error;
  });
  return oneDomain(models, deskId, id);
}

const refused = (path: string, message: string): Problem =>
  new Problem('invalid_input', { fields: [{ path, message }] });

async function replacePaths(
  models: Models,
  deskId: string,
  domainId: string,
  { paths }: DomainInput,
  transaction: Transaction,
): Promise<void> {
  const campaigns = await models.Part.findAll({
    where: { deskId, kind: 'campaign', id: paths.map((p) => p.campaignId) },
    attributes: ['id'],
    transaction,
  });
  const known = new Set(campaigns.map((c) => c.get().id));
  const fields = paths.flatMap(({ path, campaignId }, i) =>
    known.has(campaignId) && paths.findIndex((p) => p.path === path) === i
      ? []
      : [
          {
            path: `paths.${i}.path`,
            message: 'This path appears twice, or its campaign does not exist on this desk.',
          },
        ],
  );
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
  await models.OwnPath.destroy({ where: { domainId }, transaction });
  await models.OwnPath.bulkCreate(
    paths.map(({ path, campaignId }) => ({ domainId, path, campaignId })),
    { transaction },
  );
}

/** Its paths go with it. */
export async function removeDomain(models: Models, deskId: string, id: string): Promise<void> {
  await inTransaction(models, async (transaction) => {
    const gone = await models.TrackingDomain.destroy({ where: { id, deskId }, transaction });
    if (gone === 0) throw new Problem('not_found');
    await bumpConfiguration(models, deskId, transaction);
  });
}

export async function keepCheck(
  models: Models,
  deskId: string,
  id: string,
  check: DomainCheck,
): Promise<void> {
  await models.TrackingDomain.update({ lastCheck: check }, { where: { id, deskId } });
}
