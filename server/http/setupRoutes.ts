/** Setup sheets, tests, trails, and changes of many records. */
import { offersOf } from '@tracheon/core/routing';
import type { PartRecord } from '@tracheon/core/contract';
import { parseClickId } from '@tracheon/core/identity';
import { TestMarks } from '../capture/testMarks.ts';
import { listDomains } from '../domains/domainStore.ts';
import { changeInBulk, listChanges, makeCampaigns, undoChange } from '../parts/bulkChange.ts';
import { refuseOwnLinks } from '../domains/ownLinks.ts';
import { secretOf } from '../intake/callerProof.ts';
import { asSeenBy, findPart } from '../parts/partsStore.ts';
import { campaignLive } from '../reports/campaignLive.ts';
import { findThings } from '../reports/find.ts';
import { visitTrail } from '../reports/visitTrail.ts';
import { goLive } from '../setup/goLive.ts';
import { changeSheet, createSheet, listSheets, openSheet, removeSheet } from '../setup/sheetStore.ts';
import { fireTestConversion, makeTestLink, pressTestButton, sendTestVisit } from '../setup/tester.ts';
import { deskOf } from './deskRoutes.ts';
import type { Mount } from './mount.ts';
import { Problem } from '../problems/problem.ts';
import type { ApiDeps } from './routes.ts';

export function setupRoutes(mount: Mount, deps: ApiDeps): void {
  sheetRoutes(mount, deps);
  testRoutes(mount, deps);
  trailRoutes(mount, deps);
  manyRoutes(mount, deps);
}

function sheetRoutes(mount: Mount, { models, pool, news, config }: ApiDeps): void {
  mount('listSheets', ({ signed }) => listSheets(pool, signed.deskId));
  mount('createSheet', async ({ signed, body }) => {
    const sheet = await createSheet(pool, signed, body.body);
    news.tell(signed.deskId, 'sheets');
    return sheet;
  });
  mount('sheet', ({ signed, id }) => openSheet(pool, signed, id));
  mount('changeSheet', async ({ signed, id, body }) => {
    const answer = await changeSheet(pool, signed, id, body.version, body.changes);
    if (answer.collided.length === 0) news.tell(signed.deskId, 'sheets');
    return answer;
  });
  mount('removeSheet', async ({ signed, id }) => {
    await removeSheet(pool, signed.deskId, id);
    news.tell(signed.deskId, 'sheets');
    return {};
  });
  mount('goLive', async ({ signed, id }) => {
    const { body } = await openSheet(pool, signed, id);
    const links: [string, string][] = body.offerId === '' ? [['link', body.link]] : [];
    await refuseOwnLinks(pool, signed.deskId, config.tracking.origin, links);
    const made = await goLive(models, signed, await deskOf(models, signed.deskId), id);
    news.tell(signed.deskId, 'parts', 'sheets');
    return { ...made, sheet: await openSheet(pool, signed, id) };
  });
}

function testRoutes(mount: Mount, { config, models, pool, now, testRequest }: ApiDeps): void {
  const tester = { models, pool, marks: new TestMarks(config.secret), ask: testRequest, now };
  /** The default tracking domain: the one whose links are given out. */
  const origin = async (deskId: string): Promise<string> =>
    (await listDomains(pool, deskId, config.tracking.origin)).find((d) => d.isDefault)!.origin;
  mount('testLink', async ({ signed: { deskId }, id, body }) =>
    makeTestLink(tester, deskId, await origin(deskId), id, body),
  );
  mount('testVisit', async ({ signed: { deskId }, id, body }) =>
    sendTestVisit(tester, deskId, await origin(deskId), id, body),
  );
  mount('testClick', async ({ signed: { deskId }, id, body }) =>
    pressTestButton(tester, deskId, await origin(deskId), id, body.n),
  );
  mount('testConversion', async ({ signed: { deskId }, id, body }) =>
    fireTestConversion(tester, deskId, await origin(deskId), id, body),
  );
}

function trailRoutes(mount: Mount, { models, pool, now, config }: ApiDeps): void {
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

function manyRoutes(mount: Mount, { models, pool, news }: ApiDeps): void {
  mount('makeCampaigns', async ({ signed, body }) => {
    const made = await makeCampaigns(models, signed, body.words, body.campaigns);
    news.tell(signed.deskId, 'parts');
    return made;
  });
  mount('changeInBulk', async ({ signed, body }) => {
    const answer = await changeInBulk(models, signed, body.words, body.changes);
    news.tell(signed.deskId, 'parts');
    return answer;
  });
  mount('listChanges', ({ signed }) => listChanges(pool, signed.deskId));
  mount('undoChange', async ({ signed, id }) => {
    const answer = await undoChange(models, signed, id);
    news.tell(signed.deskId, 'parts');
    return answer;
  });
}
