/** Signing in and out, the member's own password and tokens, the stream of news. */
import { changePassword, checkSignIn } from '../accounts/accounts.ts';
import { forgetFirstPassword } from '../accounts/firstPassword.ts';
import { desksOf, switchDesk } from '../accounts/desks.ts';
import { usePasswordLink } from '../accounts/passwordLinks.ts';
import { endSessions, listSessions } from '../accounts/sessions.ts';
import { FailureThrottle } from '../limits/failureThrottle.ts';
import { SIGN_IN_TRIES_PER_ACCOUNT } from '../limits/limits.ts';
import { keepLayout, layoutsOf } from '../accounts/tableLayouts.ts';
import { createToken, listTokens, revokeToken } from '../accounts/tokens.ts';
import { listDomains } from '../domains/domainStore.ts';
import { deskOf } from './deskRoutes.ts';
import type { Mount } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './routes.ts';
import { saveSession, sessionInfo } from './sessions.ts';
import { csrfToken, sessionCookie, throttleSignIn, type Signed } from './security.ts';

export function signInRoutes(mount: Mount, { models, pool, config, news, now }: ApiDeps): void {
  const guessed = new FailureThrottle(SIGN_IN_TRIES_PER_ACCOUNT);
  mount(
    'signIn',
    async ({ body, req }) => {
      const account = body.email.trim().toLowerCase();
      if (guessed.isClosed(account, now())) throw new Problem('too_many_tries');
      const who = await checkSignIn(models, body.email, body.password).catch((error: unknown) => {
        guessed.failed(account, now());
        throw error;
      });
      await forgetFirstPassword(pool, config.dataFolder, account);
      // A new session ID, so that one planted before signing in is worth nothing.
      await new Promise<void>((resolve, reject) =>
        req.session.regenerate((e: unknown) => (e ? reject(e as Error) : resolve())),
      );
      Object.assign(req.session, who, { info: sessionInfo(req, now()) });
      return { csrfToken: csrfToken(config.secret, req.sessionID) };
    },
    throttleSignIn(),
  );
  mount('signOut', async ({ req, res }) => {
    const { memberId } = req.session;
    await new Promise<void>((resolve) => req.session.destroy(() => resolve()));
    const secure = config.desk.origin.startsWith('https:');
    // A cookie with the __Host- prefix is only taken, and so only cleared, with the attributes that it needs.
    res.clearCookie(sessionCookie(secure), { path: '/', httpOnly: true, sameSite: 'lax', secure });
    if (memberId) await news.signedOut(memberId);
    return {};
  });
  mount(
    'usePasswordLink',
    async ({ body }) => {
      await news.signedOut(await usePasswordLink(pool, body.secret, body.password));
      return {};
    },
    throttleSignIn(),
  );
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
      desks: await desksOf(pool, signed.memberId),
      trackingOrigin: domains.find((d) => d.isDefault)!.origin,
      trackingOrigins: domains.map((d) => d.origin),
      tableLayouts: await layoutsOf(pool, signed),
    };
  });
  mount(
    'changePassword',
    async ({ body, signed, req }) => {
      await changePassword(models, signed.memberId, req.sessionID, body);
      await news.signedOut(signed.memberId);
      return {};
    },
    throttleSignIn(),
  );
  mount('keepTableLayout', async ({ signed, body }) => {
    await keepLayout(pool, signed, body.table, body.layout);
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
  mount('listTokens', ({ signed }) => listTokens(pool, signed, isOwner(signed)));
  mount('makeToken', ({ signed, body }) => createToken(pool, signed, body));
  mount('revokeToken', async ({ signed, id }) => {
    const memberId = await revokeToken(pool, signed, id, isOwner(signed));
    await news.signedOut(memberId);
    return {};
  });
  mount('stream', ({ req, res, signed }) =>
    news.open(res, {
      deskId: signed.deskId,
      memberId: signed.memberId,
      sid: signed.token ? '' : req.sessionID,
      tokenId: signed.token?.id ?? '',
    }),
  );
}
