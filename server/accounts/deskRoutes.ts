/** The desk and its members. */
import type { Pool } from 'pg';
import { bumpConfiguration, inTransaction } from '../db/transaction.ts';
import { refuseOwnLinks } from '../domains/ownLinks.ts';
import type { ApiGround } from '../http/ground.ts';
import { etagOf, type Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';
import { addMember, listMembers, removeMember, setRole } from './accounts.ts';
import { botListOf, deskOf } from './deskOf.ts';
import { makeAnotherDesk, switchDesk } from './desks.ts';
import { makePasswordLink } from './passwordLinks.ts';
import { saveSession } from './sessionData.ts';
import { endSessions } from './sessions.ts';

async function hasLedger(pool: Pool, deskId: string): Promise<boolean> {
  return (await pool.query('SELECT 1 FROM ledger WHERE desk_id = $1 LIMIT 1', [deskId])).rows.length > 0;
}

export function deskRoutes(mount: Mount, { models, pool, news, config }: ApiGround): void {
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
    await refuseOwnLinks(models, deskId, config.tracking.origin, [['fallbackUrl', body.fallbackUrl ?? '']]);
    await inTransaction(models, async (transaction) => {
      await models.Desk.update(body, { where: { id: deskId }, transaction });
      await bumpConfiguration(models, deskId, transaction);
    });
    return deskOf(models, deskId);
  });
  mount('botList', ({ signed }) => botListOf(models, signed.deskId));
  mount('changeBotList', async ({ signed: { deskId }, body, ifMatch }) => {
    if (ifMatch !== null && ifMatch !== etagOf(await botListOf(models, deskId)))
      throw new Problem('precondition_failed');
    await inTransaction(models, async (transaction) => {
      await models.Desk.update({ botList: body }, { where: { id: deskId }, transaction });
      await bumpConfiguration(models, deskId, transaction);
    });
    return body;
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
  mount('makePasswordLink', ({ signed, id }) => makePasswordLink(models, signed, id, config.desk.origin));
  mount('makeDesk', async ({ signed, req, body }) => {
    const deskId = await makeAnotherDesk(models, signed.memberId, body);
    await switchDesk(models, signed.memberId, deskId);
    req.session.deskId = deskId;
    await saveSession(req);
    await news.signedOut(signed.memberId);
    return deskOf(models, deskId);
  });
}
