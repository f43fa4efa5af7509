/** The desk, its members, its exchange rates. */
import type { Pool } from 'pg';
import type { RateRow } from '@tracheon/core/contract';
import { defaultNameRules } from '@tracheon/core/naming';
import { rateNanos, rateText } from '@tracheon/core/money';
import { addMember, listMembers, removeMember, setRole } from '../accounts/accounts.ts';
import { makeAnotherDesk, switchDesk } from '../accounts/desks.ts';
import { makePasswordLink } from '../accounts/passwordLinks.ts';
import { refuseOwnLinks } from '../domains/ownLinks.ts';
import { endSessions } from '../accounts/sessions.ts';
import type { Models } from '../db/models.ts';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { rebookUnconverted } from '../intake/rebook.ts';
import type { ReportDesk } from '../reports/reports.ts';
import { saveSession } from './sessions.ts';
import { etagOf, type Mount } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './routes.ts';

export async function deskOf(
  models: Models,
  deskId: string,
): Promise<
  ReportDesk & { name: string; fallbackUrl: string; nameRules: { campaign: string; offer: string } }
> {
  const desk = await models.Desk.findByPk(deskId);
  if (!desk) throw new Problem('not_found');
  const { id, name, zone, currency, fallbackUrl, nameRules } = desk.get();
  return { id, name, zone, currency, fallbackUrl, nameRules: { ...defaultNameRules, ...nameRules } };
}

async function hasLedger(pool: Pool, deskId: string): Promise<boolean> {
  return (await pool.query('SELECT 1 FROM ledger WHERE desk_id = $1 LIMIT 1', [deskId])).rows.length > 0;
}

export function deskRoutes(mount: Mount, { models, pool, news, judge, config }: ApiDeps): void {
  /** A member who may do less has to sign in again, and hears of nothing until then. */
  const endOn = async (deskId: string, memberId: string): Promise<void> => {
    await endSessions(pool, { memberId, deskId });
    await news.signedOut(memberId);
  };
  mount('desk', ({ signed }) => deskOf(models, signed.deskId));
  mount('changeDesk', async ({ signed: { deskId }, body, ifMatch }) => {
    const before = await deskOf(models, deskId);
    if (ifMatch !== null && ifMatch !== etagOf(before)) throw new Problem('precondition_failed');
    if (before.currency !== body.currency && (await hasLedger(pool, deskId)))
      throw new Problem('invalid_input', {
        fields: [
          {
            path: 'currency',
            message: 'This desk already has conversions, so you can’t change its currency.',
          },
        ],
      });
    await refuseOwnLinks(pool, deskId, config.tracking.origin, [['fallbackUrl', body.fallbackUrl ?? '']]);
    await inTransaction(models, async (transaction) => {
      await models.Desk.update(body, { where: { id: deskId }, transaction });
      await bumpConfiguration(models, transaction);
    });
    return deskOf(models, deskId);
  });
  mount('listMembers', ({ signed }) => listMembers(models, signed.deskId));
  mount('addMember', ({ signed, body }) => addMember(models, signed.deskId, body));
  mount('setRole', async ({ signed, id, body }) => {
    const isLower = await setRole(models, signed.deskId, id, body.role);
    if (isLower) await endOn(signed.deskId, id);
    return {};
  });
  mount('removeMember', async ({ signed, id }) => {
    await removeMember(models, signed.deskId, id);
    await endOn(signed.deskId, id);
    return {};
  });
  mount('makePasswordLink', ({ signed, id }) => makePasswordLink(pool, signed, id, config.desk.origin));
  mount('makeDesk', async ({ signed, req, body }) => {
    const deskId = await makeAnotherDesk(models, signed.memberId, body);
    await switchDesk(models, signed.memberId, deskId);
    req.session.deskId = deskId;
    await saveSession(req);
    await news.signedOut(signed.memberId);
    return deskOf(models, deskId);
  });
  mount('listRates', async ({ signed }) => {
    const rows = await models.Rate.findAll({
      where: { deskId: signed.deskId },
      order: [
        ['day', 'DESC'],
        ['base', 'ASC'],
      ],
    });
    return rows.map((r): RateRow => {
      const { base, day, nanos } = r.get();
      return { base, day, rate: rateText(BigInt(nanos)) };
    });
  });
  mount('setRate', async ({ signed: { deskId }, body: { base, day, rate } }) => {
    const desk = await deskOf(models, deskId);
    if (base === desk.currency)
      throw new Problem('invalid_input', {
        fields: [{ path: 'base', message: 'This is the desk’s own currency. Enter another one.' }],
      });
    await models.Rate.upsert({ deskId, base, day, nanos: rateNanos(rate).toString() });
    const converted = await rebookUnconverted(pool, judge, deskId, base);
    news.tell(deskId, 'conversions');
    return { converted };
  });
}
