/** Signing in and out, and a new password by a one-time link. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { csrfToken, sessionCookie, throttleSignIn } from '../http/security.ts';
import { SIGN_IN_TRIES_PER_ACCOUNT } from '../limits/limits.ts';
import { SharedThrottle } from '../limits/sharedThrottle.ts';
import { Problem } from '../problems/problem.ts';
import { checkSignIn } from './accounts.ts';
import { forgetFirstPassword } from './firstPassword.ts';
import { usePasswordLink } from './passwordLinks.ts';
import { sessionInfo } from './sessionData.ts';

export function signInRoutes(mount: Mount, { models, pool, config, news, now }: ApiGround): void {
  const guessed = new SharedThrottle(pool, 'member account', SIGN_IN_TRIES_PER_ACCOUNT);
  mount(
    'signIn',
    async ({ body, req }) => {
      const account = body.email.trim().toLowerCase();
      if (await guessed.isClosed(account, now())) throw new Problem('too_many_tries');
      const who = await checkSignIn(models, body.email, body.password).catch(async (error: unknown) => {
        await guessed.failed(account, now());
        throw error;
      });
      await forgetFirstPassword(models, config.dataFolder, account);
      // A new session ID, so that one planted before signing in is worth nothing.
      await new Promise<void>((resolve, reject) =>
        req.session.regenerate((e: unknown) => (e ? reject(e as Error) : resolve())),
      );
      Object.assign(req.session, who, { info: sessionInfo(req, now()) });
      return { csrfToken: csrfToken(config.secret, req.sessionID) };
    },
    throttleSignIn(pool, 'member sign-in'),
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
      await news.signedOut(await usePasswordLink(models, body.secret, body.password));
      return {};
    },
    throttleSignIn(pool, 'member password link'),
  );
}
