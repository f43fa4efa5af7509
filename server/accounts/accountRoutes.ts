/** The member's own: account, password, desks, sessions, tokens, layouts of tables. */
import { listDomains } from '../domains/domainStore.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { csrfToken, throttleSignIn, type Signed } from '../http/security.ts';
import { Problem } from '../problems/problem.ts';
import { changePassword } from './accounts.ts';
import { deskOf } from './deskOf.ts';
import { desksOf, switchDesk } from './desks.ts';
import { saveSession } from './sessionData.ts';
import { endSessions, listSessions } from './sessions.ts';
import { keepLayout, layoutsOf } from './tableLayouts.ts';
import { createToken, listTokens, revokeToken } from './tokens.ts';

const isOwner = (signed: Signed): boolean => signed.role === 'owner';

export function accountRoutes(mount: Mount, { models, pool, config, news }: ApiGround): void {
  mount('me', async ({ signed, req }) => {
    const member = await models.Member.findByPk(signed.memberId);
    if (!member) throw new Problem('not_signed_in');
    const { id, name, email } = member.get();
    const domains = await listDomains(models, signed.deskId, config.tracking.origin);
    return {
      member: { id, name, email },
      desk: await deskOf(models, signed.deskId),
      role: signed.role,
      csrfToken: signed.token ? '' : csrfToken(config.secret, req.sessionID),
      desks: await desksOf(models, signed.memberId),
      trackingOrigin: domains.find((d) => d.isDefault)!.origin,
      trackingOrigins: domains.map((d) => d.origin),
      tableLayouts: await layoutsOf(models, signed),
    };
  });
  mount(
    'changePassword',
    async ({ body, signed, req }) => {
      await changePassword(models, signed.memberId, req.sessionID, body);
      await news.signedOut(signed.memberId);
      return {};
    },
    throttleSignIn(pool, 'member password'),
  );
  mount('keepTableLayout', async ({ signed, body }) => {
    await keepLayout(models, signed, body.table, body.layout);
    return {};
  });
  mount('switchDesk', async ({ signed, req, body }) => {
    await switchDesk(models, signed.memberId, body.deskId);
    req.session.deskId = body.deskId;
    await saveSession(req);
    await news.signedOut(signed.memberId);
    return {};
  });
  mount('listSessions', ({ signed, req }) => listSessions(pool, signed.memberId, req.sessionID));
  mount('endSession', async ({ signed, id }) => {
    if ((await endSessions(pool, { memberId: signed.memberId, id })) === 0) throw new Problem('not_found');
    await news.signedOut(signed.memberId);
    return {};
  });
  mount('listTokens', ({ signed }) => listTokens(models, signed, isOwner(signed)));
  mount('makeToken', ({ signed, body }) => createToken(models, signed, body));
  mount('revokeToken', async ({ signed, id }) => {
    const memberId = await revokeToken(models, signed, id, isOwner(signed));
    await news.signedOut(memberId);
    return {};
  });
}
