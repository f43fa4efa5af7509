/** Signing in and out, the member's own password and tokens, the stream of news. */
import { changePassword, checkSignIn } from '../accounts/accounts.ts';
import { keepLayout, layoutsOf } from '../accounts/tableLayouts.ts';
import { createToken, listTokens, revokeToken } from '../accounts/tokens.ts';
import { listDomains } from '../domains/domainStore.ts';
import { deskOf } from './deskRoutes.ts';
import type { Mount } from './mount.ts';
import { Problem } from './problem.ts';
import type { ApiDeps } from './routes.ts';
import { csrfToken, sessionCookie, throttleSignIn, type Signed } from './security.ts';

export function signInRoutes(mount: Mount, { models, config }: ApiDeps): void {
  mount(
    'signIn',
    async ({ body, req }) => {
      const who = await checkSignIn(models, body.email, body.password);
      // A new session ID, so that one planted before signing in is worth nothing.
      await new Promise<void>((resolve, reject) =>
        req.session.regenerate((e: unknown) => (e ? reject(e as Error) : resolve())),
      );
      Object.assign(req.session, who);
      return { csrfToken: csrfToken(config.secret, req.sessionID) };
    },
    throttleSignIn(),
  );
  mount('signOut', async ({ req, res }) => {
    await new Promise<void>((resolve) => req.session.destroy(() => resolve()));
    res.clearCookie(sessionCookie(config.desk.origin.startsWith('https:')));
    return {};
  });
}

const isOwner = (signed: Signed): boolean => signed.role === 'owner';

export function accountRoutes(mount: Mount, { models, pool, config, news }: ApiDeps): void {
  mount('me', async ({ signed, req }) => {
    const member = await models.Member.findByPk(signed.memberId);
    if (!member) throw new Problem('not_signed_in');
    const { id, name, email } = member.get();
    const domains = await listDomains(pool, signed.deskId, config.tracking.origin);
    return {
      member: { id, name, email },
      desk: await deskOf(models, signed.deskId),
      role: signed.role,
      csrfToken: signed.token ? '' : csrfToken(config.secret, req.sessionID),
      trackingOrigin: domains.find((d) => d.isDefault)!.origin,
      trackingOrigins: domains.map((d) => d.origin),
      tableLayouts: await layoutsOf(pool, signed),
    };
  });
  mount(
    'changePassword',
    async ({ body, signed, req }) => {
      await changePassword(models, signed.memberId, req.sessionID, body);
      return {};
    },
    throttleSignIn(),
  );
  mount('keepTableLayout', async ({ signed, body }) => {
    await keepLayout(pool, signed, body.table, body.layout);
    return {};
  });
  mount('listTokens', ({ signed }) => listTokens(pool, signed, isOwner(signed)));
  mount('makeToken', ({ signed, body }) => createToken(pool, signed, body));
  mount('revokeToken', async ({ signed, id }) => {
    await revokeToken(pool, signed, id, isOwner(signed));
    return {};
  });
  mount('stream', ({ res, signed }) => news.open(res, signed.deskId));
}
