/** The desk that a crash run works on: one network, source, offer and a campaign with branches in a database of its own. */
import { makeFirstDesk } from '../../server/accounts/accounts.ts';
import { migrate } from '../../server/db/migrate.ts';
import { defineModels, openSequelize } from '../../server/db/models.ts';
import { createPart } from '../../server/parts/partsStore.ts';
import { sampleRouting } from '../integration/sampleRouting.ts';
import { sampleParts } from '../integration/sampleParts.ts';

/** What is decided on the way must not cost a row either. */
const BRANCHES = 20;

export async function makeScene(url: string): Promise<{ campaignKey: string; intakeKey: string }> {
  const sequelize = openSequelize(url);
  await migrate(sequelize);
  const models = defineModels(sequelize);
  const owner = { name: 'O', email: 'owner@desk.test' };
  const first = await makeFirstDesk(models, {
    name: 'Crash desk',
    zone: 'UTC',
    currency: 'EUR',
    isDemo: false,
    owner,
  });
  const member = await models.Member.findOne();
  const by = { deskId: first!.deskId, memberId: member!.get().id };
  const sample = sampleParts(1);
  const network = await createPart(models, by, 'network', sample.network);
  const source = await createPart(models, by, 'source', sample.source);
  const offer = await createPart(models, by, 'offer', { ...sample.offer, networkId: network.id });
  const campaign = await createPart(models, by, 'campaign', {
    ...sample.campaign,
    sourceId: source.id,
    routing: sampleRouting(offer.id, BRANCHES),
  });
  await sequelize.close();
  return { campaignKey: campaign.key, intakeKey: network.key };
}
