/** The rates of the European Central Bank, by hand or every day. */
import type { Pool } from 'pg';
import type { RatesLoaded } from '@tracheon/core/contract';
import { ratesOfEcb } from '@tracheon/core/money';
import type { Config } from '../config/config.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { ScheduledJob } from '../jobs/job.ts';
import { Problem } from '../problems/problem.ts';
import { fetchText } from './fetchText.ts';
import { keepRates } from './keepRates.ts';

export interface EcbDeps {
  pool: Pool;
  judge: (receipt: ReceiptRecord) => Promise<unknown>;
  config: Pick<Config, 'ratesUrl' | 'allowOutgoing' | 'desk' | 'tracking'>;
}

const textOf = ({ ratesUrl, allowOutgoing, desk, tracking }: EcbDeps['config']): Promise<string> =>
  fetchText(ratesUrl, allowOutgoing, [desk.origin, tracking.origin]).catch(() => '');

/** Throws Problem when they can't be had, or have none to the desk's currency. */
export async function loadEcbRates(
  { pool, judge, config }: EcbDeps,
  desk: { id: string; currency: string },
): Promise<RatesLoaded> {
  const rates = ratesOfEcb(await textOf(config), desk.currency);
  if (rates.length === 0) throw new Problem('rates_unreachable');
  return { ...(await keepRates(pool, judge, desk.id, rates)), problems: [] };
}

/** After the bank has published them, and once more in the morning. */
const TWICE_A_DAY = '40 5,17 * * *';

/** For each desk that wants them: rates that could not be loaded are said, and loaded the next time. */
export const dailyRates = (
  deps: EcbDeps & { now: () => number; tell: (deskId: string) => void },
): ScheduledJob => ({
  name: 'load-daily-rates',
  cron: TWICE_A_DAY,
  run: async () => {
    const { rows } = await deps.pool.query<{ id: string; currency: string }>(
      'SELECT id, currency FROM desks WHERE daily_rates ORDER BY id',
    );
    for (const desk of rows) {
      const isLoaded = await loadEcbRates(deps, desk).then(
        () => true,
        (error: unknown) => {
          if (error instanceof Problem) return false;
          throw error;
        },
      );
      await deps.pool.query(
        'UPDATE desks SET rates_failed_at = CASE WHEN $2 THEN NULL ELSE coalesce(rates_failed_at, $3) END WHERE id = $1',
        [desk.id, isLoaded, new Date(deps.now())],
      );
      deps.tell(desk.id);
    }
  },
});
