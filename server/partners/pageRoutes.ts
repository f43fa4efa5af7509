/** What people of a partner see and do. Everything is of the partner of their session; no other desk, partner or member is named. */
import type { Request } from 'express';
import type { Pool } from 'pg';
import type { BillingLine, BillingStatement, NumbersAnswer, NumbersAsked } from '@tracheon/core/contract';
import type { OwnLine, OwnStatement } from '@tracheon/core/contract/partnerPage';
import { deskOf } from '../accounts/deskOf.ts';
import { saveSession, sessionInfo } from '../accounts/sessionData.ts';
import {
  billingLines,
  billingOpen,
  billingStatement,
  billingStatements,
} from '../billing/statementRecords.ts';
import type { Config } from '../config/config.ts';
import type { Models } from '../db/models.ts';
import type { Tells } from '../http/ground.ts';
import { csrfToken, partnerCookie, throttleSignIn } from '../http/security.ts';
import { POSTBACK_TESTS_PER_MINUTE, SIGN_IN_TRIES_PER_ACCOUNT } from '../limits/limits.ts';
import { SharedThrottle } from '../limits/sharedThrottle.ts';
import { Problem } from '../problems/problem.ts';
import type { Call } from '../notify/outgoing.ts';
import { acceptTerms, askForOffer } from './access.ts';
import { ownConversions } from './ownConversions.ts';
import type { PartnerMount } from './partnerMount.ts';
import { partnerNumbers } from './partnerNumbers.ts';
import { latestToPartner, partnerPostback, savePartnerPostback, tryPostback } from './partnerPostbacks.ts';
import {
  accessesOf,
  changePartnerPassword,
  checkPartnerSignIn,
  switchTo,
  usePartnerLink,
  type PartnerSigned,
} from './partnerUsers.ts';
import { linksOf, promotedOffer, promotedOffers, subsOfPartners } from './promoted.ts';

export interface PartnerPageDeps {
  config: Config;
  /** Signs sessions of the partner page, and no others. */
  secret: string;
  models: Models;
  pool: Pool;
  news: Pick<Tells, 'tell'>;
  askNumbers: (deskId: string, asked: NumbersAsked) => Promise<NumbersAnswer>;
  /** Calls a partner's address, never one of our own network. */
  call: Call;
  now: () => number;
}

export function partnerPageRoutes(mount: PartnerMount, deps: PartnerPageDeps): void {
  signInRoutes(mount, deps);
  meRoutes(mount, deps);
  offerRoutes(mount, deps);
  moneyRoutes(mount, deps);
  postbackRoutes(mount, deps);
}

/** A new session ID, so that one planted before signing in is worth nothing. */
const regenerated = (req: Request): Promise<void> =>
  new Promise((resolve, reject) =>
    req.session.regenerate((e: unknown) => (e ? reject(e as Error) : resolve())),
  );

function signInRoutes(mount: PartnerMount, { config, secret, pool, now }: PartnerPageDeps): void {
  const guessed = new SharedThrottle(pool, 'partner account', SIGN_IN_TRIES_PER_ACCOUNT);
  mount(
    'signIn',
    async ({ body, req }) => {
      const account = body.email.trim().toLowerCase();
      if (await guessed.isClosed(account, now())) throw new Problem('too_many_tries');
      const who = await checkPartnerSignIn(pool, body.email, body.password).catch(async (error: unknown) => {
        await guessed.failed(account, now());
        throw error;
      });
      await regenerated(req);
      Object.assign(req.session, who, { info: sessionInfo(req, now()) });
      return { csrfToken: csrfToken(secret, req.sessionID) };
    },
    throttleSignIn(pool, 'partner sign-in'),
  );
  mount('signOut', async ({ req, res }) => {
    await new Promise<void>((resolve) => req.session.destroy(() => resolve()));
    const secure = config.partners.origin.startsWith('https:');
    res.clearCookie(partnerCookie(secure), { path: '/', httpOnly: true, sameSite: 'lax', secure });
    return {};
  });
  mount(
    'usePasswordLink',
    async ({ body }) => {
      await usePartnerLink(pool, body.secret, body.password);
      return {};
    },
    throttleSignIn(pool, 'partner password link'),
  );
}

function meRoutes(mount: PartnerMount, { models, pool, secret }: PartnerPageDeps): void {
  mount('me', async ({ signed, req }) => {
    const { id, name, zone, currency } = await deskOf(models, signed.deskId);
    const all = await accessesOf(pool, signed.userId);
    return {
      user: { name: signed.name, email: signed.email },
      desk: { id, name, zone, currency },
      partner: { id: signed.partnerId, name: signed.partnerName },
      others: all
        .filter((a) => a.accessId !== signed.accessId)
        .map((a) => ({ id: a.accessId, deskName: a.deskName, partnerName: a.partnerName })),
      csrfToken: csrfToken(secret, req.sessionID),
    };
  });
  mount(
    'changePassword',
    async ({ signed, body, req }) => {
      await changePartnerPassword(pool, signed.userId, req.sessionID, body);
      return {};
    },
    throttleSignIn(pool, 'partner password'),
  );
  mount('switchPartner', async ({ signed, body, req }) => {
    await switchTo(pool, signed.userId, body.accessId);
    req.session.accessId = body.accessId;
    await saveSession(req);
    return {};
  });
}

function offerRoutes(mount: PartnerMount, { config, models, pool, news, now }: PartnerPageDeps): void {
  const asksOf = async ({ deskId, partnerId }: PartnerSigned) => ({
    deskId,
    partnerId,
    zone: (await deskOf(models, deskId)).zone,
    nowMs: now(),
  });
  mount('offers', async ({ signed }) => promotedOffers(models, pool, await asksOf(signed)));
  mount('askForOffer', async ({ signed, id, body }) => {
    const asks = await asksOf(signed);
    const offer = await promotedOffer(models, pool, asks, id);
    if (offer.access !== 'none' && offer.access !== 'asked') throw new Problem('access_moved');
    const { deskId, partnerId, userId } = signed;
    await askForOffer(pool, deskId, { offerId: id, partnerId, userId, note: body.note }, now());
    news.tell(deskId, 'partners');
    return promotedOffer(models, pool, asks, id);
  });
  mount('acceptTerms', async ({ signed, id, body }) => {
    const asks = await asksOf(signed);
    const offer = await promotedOffer(models, pool, asks, id);
    if (offer.terms !== body.terms) throw new Problem('terms_changed');
    const { deskId, partnerId, userId } = signed;
    await acceptTerms(pool, deskId, { offerId: id, partnerId, userId, terms: body.terms }, now());
    news.tell(deskId, 'partners');
    return promotedOffer(models, pool, asks, id);
  });
  mount('links', async ({ signed, id }) =>
    linksOf(models, pool, await asksOf(signed), id, config.tracking.origin),
  );
}

function moneyRoutes(mount: PartnerMount, { models, pool, askNumbers }: PartnerPageDeps): void {
  mount('numbers', async ({ signed: { deskId, partnerId }, query }) => {
    const { zone } = await deskOf(models, deskId);
    const subs = await subsOfPartners(models, deskId);
    const ask = (asked: NumbersAsked): Promise<NumbersAnswer> => askNumbers(deskId, asked);
    return partnerNumbers(pool, ask, { deskId, partnerId, zone, subs, ...query });
  });
  mount('statements', async ({ signed: { deskId, partnerId } }) => {
    const [open, statements] = await Promise.all([
      billingOpen(pool, deskId, 'partner', partnerId),
      billingStatements(pool, deskId, 'partner', partnerId),
    ]);
    return {
      open: open.map(({ partyId: _id, partyName: _name, ...row }) => row),
      statements: statements.map(ownStatement),
    };
  });
  mount('conversions', ({ signed, query }) => ownConversions(pool, signed, query));
  const statementOf = async ({ deskId, partnerId }: PartnerSigned, id: string): Promise<BillingStatement> => {
    const statement = await billingStatement(pool, deskId, id);
    if (statement.side !== 'partner' || statement.partyId !== partnerId) throw new Problem('not_found');
    return statement;
  };
  mount('statement', async ({ signed, id }) => ownStatement(await statementOf(signed, id)));
  mount('statementLines', async ({ signed, id, query }) => {
    await statementOf(signed, id);
    const { rows, next } = await billingLines(pool, signed.deskId, id, query);
    return { rows: rows.map(ownLine), next };
  });
}

function postbackRoutes(mount: PartnerMount, { models, pool, call, news, now }: PartnerPageDeps): void {
  const tried = new SharedThrottle(pool, 'partner postback test', POSTBACK_TESTS_PER_MINUTE);
  mount('postback', async ({ signed }) => {
    const [postback, subs, sent] = await Promise.all([
      partnerPostback(pool, signed),
      subsOfPartners(models, signed.deskId),
      latestToPartner(pool, signed),
    ]);
    return { postback, subs, sent };
  });
  mount('savePostback', async ({ signed, body }) => {
    const saved = await savePartnerPostback(pool, signed, body);
    news.tell(signed.deskId, 'partners');
    return saved;
  });
  mount('tryPostback', async ({ signed, body: { url } }) => {
    if (await tried.isClosed(signed.partnerId, now())) throw new Problem('too_many_tries');
    // Each one counts: it is our server that calls whatever address somebody writes.
    await tried.failed(signed.partnerId, now());
    return tryPostback(call, url, now());
  });
}

/** Who issued it, and what else is the desk's own, stays there. */
const ownStatement = ({
  issuedBy: _by,
  paymentId: _payment,
  side: _side,
  partyId: _party,
  ...rest
}: BillingStatement): OwnStatement => rest;
const ownLine = ({ transaction: _transaction, clickId: _click, ...rest }: BillingLine): OwnLine => rest;
