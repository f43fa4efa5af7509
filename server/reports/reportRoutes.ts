/** Figures, lists of what came in and went out, trails, and what needs attention. */
import type { PartRecord } from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import { dimensions, figureDefinitions, figureNames } from '@tracheon/core/metrics';
import { offersOf } from '@tracheon/core/routing';
import { deskOf } from '../accounts/deskOf.ts';
import { clickIdOfPath } from '../http/clickIdOfPath.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { secretOf } from '../intake/callerProof.ts';
import { asSeenBy, findPart } from '../parts/partRecords.ts';
import { Problem } from '../problems/problem.ts';
import { attention } from './attention.ts';
import { decisionsReport } from './decisions.ts';
import { conversionFileUrl } from './conversionFile.ts';
import { campaignLive } from './campaignLive.ts';
import { findThings } from './find.ts';
import { listConversions, listPostbacksIn, listPostbacksOut } from './lists.ts';
import { pixelsOfNetwork, relayedOfNetwork, seenOfNetwork } from './networkSeen.ts';
import { partsSeen } from './partsSeen.ts';
import { askedDays } from './period.ts';
import { dismissUnknownKey, listUnknownKeys } from './unknownKeys.ts';
import { listVisits, oneVisit } from './visitLists.ts';
import { visitTrail } from './visitTrail.ts';
import { wholeConversion } from './wholeConversion.ts';
import { wholePostback } from './wholePostback.ts';

export type ReportDeps = ApiGround & {
  /** Campaigns of the desk that run on their last good version. */
  broken: (deskId: string) => number;
};

export function reportRoutes(mount: Mount, deps: ReportDeps): void {
  const { models, pool, config, broken, now } = deps;
  signalLists(mount, deps);
  trailRoutes(mount, deps);
  mount('reportFields', () => ({
    figures: figureNames.map((name) => {
      const { label, meaning, unit } = figureDefinitions[name];
      return { name, label, meaning, unit };
    }),
    dimensions: dimensions.map(({ name, label, of }) => ({ name, label, of })),
  }));
  mount('decisionsReport', async ({ signed, query: { by, ...asked } }) => {
    const desk = await deskOf(models, signed.deskId);
    return decisionsReport(pool, desk, by, askedDays(asked, now(), desk.zone));
  });
  mount('attention', async ({ signed: { deskId } }) =>
    attention(pool, await deskOf(models, deskId), broken(deskId), now()),
  );
  mount('conversionFile', async ({ signed: { deskId }, id }) => {
    const source = (await findPart(models, deskId, 'source', id)) as PartRecord<'source'>;
    return { url: conversionFileUrl(config.secret, config.tracking.origin, source) };
  });
  mount('networkSeen', async ({ signed: { deskId }, id }) => {
    await findPart(models, deskId, 'network', id);
    const [rows, pixels, relayed] = await Promise.all([
      seenOfNetwork(pool, deskId, id),
      pixelsOfNetwork(pool, deskId, id),
      relayedOfNetwork(pool, deskId, id),
    ]);
    return { rows, pixels, relayed };
  });
  mount('partsSeen', ({ signed: { deskId } }) => partsSeen(pool, deskId));
}

function signalLists(mount: Mount, { pool }: ApiGround): void {
  mount('listVisits', ({ query, signed: { deskId } }) => listVisits(pool, { ...query, deskId }));
  mount('visit', async ({ id, signed }) => {
    const visit = await oneVisit(pool, signed.deskId, clickIdOfPath(id));
    if (!visit) throw new Problem('not_found');
    return visit;
  });
  mount('listPostbacksIn', ({ query, signed: { deskId } }) => listPostbacksIn(pool, { ...query, deskId }));
  mount('postbackIn', async ({ id, signed: { deskId, role } }) => {
    const whole = await wholePostback(pool, deskId, clickIdOfPath(id));
    if (!whole) throw new Problem('not_found');
    // The path has the key with which conversions are booked.
    return role === 'viewer' ? { ...whole, path: '' } : whole;
  });
  mount('listConversions', ({ query, signed: { deskId } }) => listConversions(pool, { ...query, deskId }));
  mount('conversion', async ({ id, signed: { deskId } }) => {
    const whole = await wholeConversion(pool, deskId, id);
    if (!whole) throw new Problem('not_found');
    return whole;
  });
  mount('listPostbacksOut', ({ query, signed: { deskId } }) => listPostbacksOut(pool, { ...query, deskId }));
  mount('listUnknownKeys', ({ signed: { deskId } }) => listUnknownKeys(pool, deskId));
  mount('dismissUnknownKey', async ({ signed: { deskId }, body }) => {
    if (!(await dismissUnknownKey(pool, deskId, body))) throw new Problem('not_found');
    return {};
  });
}

function trailRoutes(mount: Mount, { models, pool, now, config }: ApiGround): void {
  mount('campaignLive', async ({ signed: { deskId }, id }) => {
    const campaign = (await findPart(models, deskId, 'campaign', id)) as PartRecord<'campaign'>;
    const [offerId = ''] = offersOf(campaign.body);
    const offer = (await findPart(models, deskId, 'offer', offerId)) as PartRecord<'offer'>;
    return campaignLive(pool, deskId, campaign, offer.body.networkId, now());
  });
  mount('visitTrail', async ({ signed: { deskId, role }, id }) => {
    const clickId = parseClickId(id);
    const trail = clickId && (await visitTrail(models, pool, deskId, clickId));
    if (!trail) throw new Problem('not_found');
    const { network } = trail.parts;
    return {
      ...trail,
      parts: {
        ...trail.parts,
        network: network && asSeenBy(role, (key) => secretOf(config.secret, key))(network),
      },
    };
  });
  mount('find', ({ signed: { deskId }, query }) => findThings(pool, deskId, query.text));
}
