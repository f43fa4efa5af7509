/** The desk's side: who signs in for partners, which partners may promote which offers, and how good their visits are. */
import { deskOf } from '../accounts/deskOf.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { decideOfferAccess, listOfferAccess } from './access.ts';
import { partnerQuality, partnerQualityVisits } from './quality.ts';
import { postbackOfPartner } from './partnerPostbacks.ts';
import { addPartnerUser, linkForPartnerUser, listPartnerUsers, removePartnerUser } from './partnerUsers.ts';

export function accessRoutes(mount: Mount, { config, models, pool, news, now }: ApiGround): void {
  const told = async <T>(deskId: string, answer: Promise<T>): Promise<T> => {
    const done = await answer;
    news.tell(deskId, 'partners');
    return done;
  };
  mount('listOfferAccess', ({ signed: { deskId }, query }) => listOfferAccess(pool, deskId, query));
  mount('decideOfferAccess', ({ signed, body }) =>
    told(signed.deskId, decideOfferAccess(pool, signed, body, now())),
  );
  mount('listPartnerUsers', async ({ signed: { deskId }, id }) => ({
    users: await listPartnerUsers(pool, deskId, id),
    origin: config.partners.origin,
  }));
  mount('postbackOfPartner', async ({ signed: { deskId }, id }) => ({
    postback: await postbackOfPartner(pool, { deskId, partnerId: id }),
  }));
  mount('addPartnerUser', ({ signed, id, body }) =>
    told(signed.deskId, addPartnerUser(pool, signed, id, body, config.partners.origin)),
  );
  mount('removePartnerUser', async ({ signed, id }) => {
    await told(signed.deskId, removePartnerUser(pool, signed, id));
    return {};
  });
  mount('linkForPartnerUser', ({ signed, id }) =>
    linkForPartnerUser(pool, signed, id, config.partners.origin),
  );
  mount('partnerQuality', async ({ signed: { deskId }, id, query }) => {
    const { zone } = await deskOf(models, deskId);
    return partnerQuality(pool, { deskId, partnerId: id, zone, ...query }, now(), config.addressDays);
  });
  mount('partnerQualityVisits', async ({ signed: { deskId }, id, query }) => {
    const { zone } = await deskOf(models, deskId);
    return partnerQualityVisits(pool, { deskId, partnerId: id, zone, ...query });
  });
}
