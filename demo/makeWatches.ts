/** Two watches of the demo desk: sites that cost and bring nothing are asked about, campaigns that lose are told. */
import type { Pool } from 'pg';
import { watchInput } from '@tracheon/core/contract';
import type { Editor } from '@tracheon/server/parts/partRecords.ts';
import { saveWatch } from '@tracheon/server/watches/watchStore.ts';

export async function makeWatches(
  pool: Pool,
  by: Editor,
  { pops, push }: { pops: string; push: string },
): Promise<void> {
  const sites = (name: string, sourceId: string, isOn: boolean) =>
    watchInput.parse({
      name,
      subject: 'sub_site',
      sourceId,
      conditions: [
        { figure: 'spentMicros', is: '>=', than: 2, unit: 'payouts' },
        { figure: 'conversions', is: '=', than: 0 },
      ],
      windowHours: 7 * 24,
      skipHours: 1,
      everyMinutes: 240,
      act: 'block',
      isOn,
    });
  await saveWatch(pool, by, null, sites('Pop sites without a sale', pops, true));
  await saveWatch(pool, by, null, sites('Push sites without a sale', push, false));
  await saveWatch(
    pool,
    by,
    null,
    watchInput.parse({
      name: 'Campaigns that lose',
      subject: 'campaign_id',
      conditions: [
        { figure: 'chance', is: '<', than: 0.05 },
        { figure: 'spentMicros', is: '>=', than: 20 },
      ],
      windowHours: 7 * 24,
      skipHours: 1,
      everyMinutes: 60,
      isOn: true,
    }),
  );
}
