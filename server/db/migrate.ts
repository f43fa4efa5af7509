/**
 * Numbered migrations under an advisory lock, so that two processes starting together migrate once. A failure
 * stops the start with the migration's name; nothing of that migration stays.
 */
import type { Sequelize } from 'sequelize';
import * as ground from './migrations/0001-ground.ts';
import * as openGround from './migrations/0002-open-ground.ts';
import * as landingPages from './migrations/0003-landing-pages.ts';
import * as partnersTerms from './migrations/0004-partners-terms.ts';
import * as templates from './migrations/0005-templates.ts';
import * as linksOut from './migrations/0006-links-out.ts';
import * as setupSheets from './migrations/0007-setup-sheets.ts';
import * as tableLayouts from './migrations/0009-table-layouts.ts';
import * as lists from './migrations/0010-lists.ts';
import * as conversionsTold from './migrations/0012-conversions-told.ts';
import * as partLinks from './migrations/0011-part-links.ts';
import * as visitRow from './migrations/0013-visit-row.ts';
import * as setAside from './migrations/0014-set-aside.ts';
import * as accounts from './migrations/0015-accounts.ts';
import * as demoMade from './migrations/0016-demo-made.ts';
import * as factChanges from './migrations/0017-fact-changes.ts';
import * as configurations from './migrations/0018-configurations.ts';
import * as splitOdds from './migrations/0019-split-odds.ts';
import * as conversionsChanged from './migrations/0020-conversions-changed.ts';
import * as botLists from './migrations/0021-bot-lists.ts';
import * as visitLeases from './migrations/0022-visit-leases.ts';
import * as sharedRoutings from './migrations/0023-shared-routings.ts';
import * as receiptChannels from './migrations/0024-receipt-channels.ts';
import * as statements from './migrations/0026-statements.ts';
import * as relayedPostbacks from './migrations/0027-relayed-postbacks.ts';
import * as otherOwners from './migrations/0028-other-owners.ts';
import * as receiptsByTransaction from './migrations/0029-receipts-by-transaction.ts';
import * as feedBatches from './migrations/0030-feed-batches.ts';
import * as verdicts from './migrations/0031-verdicts.ts';
import * as savedViews from './migrations/0032-saved-views.ts';
import * as costs from './migrations/0033-costs.ts';
import * as ownFigures from './migrations/0034-own-figures.ts';
import * as sealedDays from './migrations/0035-sealed-days.ts';
import * as feeds from './migrations/0036-feeds.ts';
import * as costFeeds from './migrations/0037-cost-feeds.ts';
import * as looks from './migrations/0038-looks.ts';
import * as feedRowKeys from './migrations/0039-feed-row-keys.ts';
import * as watches from './migrations/0040-watches.ts';
import * as noticesOut from './migrations/0041-notices-out.ts';
import * as signalWatches from './migrations/0042-signal-watches.ts';
import * as history from './migrations/0043-history.ts';
import * as lookedAt from './migrations/0044-looked-at.ts';
import * as watchVersions from './migrations/0045-watch-versions.ts';
import * as partners from './migrations/0046-partners.ts';
import * as partnerPayouts from './migrations/0047-partner-payouts.ts';
import * as billing from './migrations/0048-billing.ts';
import * as partnerPage from './migrations/0049-partner-page.ts';
import * as partnerPostbacks from './migrations/0050-partner-postbacks.ts';
import * as visitsOfPartners from './migrations/0051-visits-of-partners.ts';
import * as tryCounts from './migrations/0052-try-counts.ts';
import * as postbackRequests from './migrations/0025-postback-requests.ts';
import * as plainNames from './migrations/0008-plain-names.ts';

/** Any number; it only has to be the same in every process. */
const MIGRATION_LOCK = 7_482_190_017;
/** In their order; each with its way back. */
export const migrations = [
  { name: '0001-ground', ...ground },
  { name: '0002-open-ground', ...openGround },
  { name: '0003-landing-pages', ...landingPages },
  { name: '0004-partners-terms', ...partnersTerms },
  { name: '0005-templates', ...templates },
  { name: '0006-links-out', ...linksOut },
  { name: '0007-setup-sheets', ...setupSheets },
  { name: '0008-plain-names', ...plainNames },
  { name: '0009-table-layouts', ...tableLayouts },
  { name: '0010-lists', ...lists },
  { name: '0011-part-links', ...partLinks },
  { name: '0012-conversions-told', ...conversionsTold },
  { name: '0013-visit-row', ...visitRow },
  { name: '0014-set-aside', ...setAside },
  { name: '0015-accounts', ...accounts },
  { name: '0016-demo-made', ...demoMade },
  { name: '0017-fact-changes', ...factChanges },
  { name: '0018-configurations', ...configurations },
  { name: '0019-split-odds', ...splitOdds },
  { name: '0020-conversions-changed', ...conversionsChanged },
  { name: '0021-bot-lists', ...botLists },
  { name: '0022-visit-leases', ...visitLeases },
  { name: '0023-shared-routings', ...sharedRoutings },
  { name: '0024-receipt-channels', ...receiptChannels },
  { name: '0025-postback-requests', ...postbackRequests },
  { name: '0026-statements', ...statements },
  { name: '0027-relayed-postbacks', ...relayedPostbacks },
  { name: '0028-other-owners', ...otherOwners },
  { name: '0029-receipts-by-transaction', ...receiptsByTransaction },
  { name: '0030-feed-batches', ...feedBatches },
  { name: '0031-verdicts', ...verdicts },
  { name: '0032-saved-views', ...savedViews },
  { name: '0033-costs', ...costs },
  { name: '0034-own-figures', ...ownFigures },
  { name: '0035-sealed-days', ...sealedDays },
  { name: '0036-feeds', ...feeds },
  { name: '0037-cost-feeds', ...costFeeds },
  { name: '0038-looks', ...looks },
  { name: '0039-feed-row-keys', ...feedRowKeys },
  { name: '0040-watches', ...watches },
  { name: '0041-notices-out', ...noticesOut },
  { name: '0042-signal-watches', ...signalWatches },
  { name: '0043-history', ...history },
  { name: '0044-looked-at', ...lookedAt },
  { name: '0045-watch-versions', ...watchVersions },
  { name: '0046-partners', ...partners },
  { name: '0047-partner-payouts', ...partnerPayouts },
  { name: '0048-billing', ...billing },
  { name: '0049-partner-page', ...partnerPage },
  { name: '0050-partner-postbacks', ...partnerPostbacks },
  { name: '0051-visits-of-partners', ...visitsOfPartners },
  { name: '0052-try-counts', ...tryCounts },
];

export class MigrationFailed extends Error {
  constructor(name: string, cause: unknown) {
    super(
      `The database could not be migrated: ${name} failed (${cause instanceof Error ? cause.message : String(cause)}). No change was kept.`,
    );
  }
}

export async function migrate(sequelize: Sequelize): Promise<string[]> {
  await sequelize.query('CREATE SCHEMA IF NOT EXISTS public');
  // The lock lives on a transaction of its own; the migrations run beside it on other connections.
  return sequelize.transaction(async (lock) => {
    await sequelize.query('SELECT pg_advisory_xact_lock(:n)', {
      replacements: { n: MIGRATION_LOCK },
      transaction: lock,
    });
    if (await isUpToDate(sequelize)) return [];
    // Most starts have nothing to migrate, and need not load what does it.
    const { SequelizeStorage, Umzug } = await import('umzug');
    const umzug = new Umzug({
      migrations: migrations.map((m) => ({
        name: m.name,
        up: async () => {
          await sequelize
            .transaction(async (transaction) => {
              // A large table takes its time.
              await sequelize.query('SET LOCAL statement_timeout = 0', { transaction });
              await sequelize.query(m.up, { transaction });
            })
            .catch((error: unknown) => {
              throw new MigrationFailed(m.name, error);
            });
        },
        down: async () => void (await sequelize.query(m.down)),
      })),
      storage: new SequelizeStorage({ sequelize, tableName: TABLE }),
      logger: undefined,
    });
    const done = await umzug.up().catch((error: unknown) => {
      // Umzug wraps what it caught; the sentence is ours.
      throw (error as { cause?: unknown }).cause instanceof MigrationFailed ? (error as Error).cause : error;
    });
    return done.map((m) => m.name);
  });
}

const TABLE = 'migrations';

/** A table that is not there yet knows none. */
async function isUpToDate(sequelize: Sequelize): Promise<boolean> {
  const [found] = await sequelize.query(`SELECT to_regclass('${TABLE}') IS NOT NULL AS there`);
  if (!(found as { there: boolean }[])[0]!.there) return false;
  const [rows] = await sequelize.query(`SELECT name FROM "${TABLE}"`);
  const done = new Set((rows as { name: string }[]).map((r) => r.name));
  return migrations.every((m) => done.has(m.name));
}
