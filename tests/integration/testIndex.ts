/** The numbers index of a server in a test, in the process of the test; asked as usual, over its socket. */
import { KeptIndex } from '../../server/numbers/keptIndex.ts';
import { indexOf, serveNumbers, socketOf } from '../../server/numbers/numbersService.ts';
import { openPool } from '../../server/db/pools.ts';

export async function startIndex(
  databaseUrl: string,
  dataFolder: string,
): Promise<{ close: () => Promise<void> }> {
  const pool = openPool(databaseUrl, 'numbers', 2);
  const log = { info: () => undefined, error: () => undefined };
  // Many tests write at the same time, and few of them look at figures.
  const kept = new KeptIndex({ pool, path: indexOf(dataFolder), feedEveryMs: 1500, log });
  const service = await serveNumbers(kept, socketOf(dataFolder));
  return {
    close: async () => {
      service.close();
      service.closeAllConnections();
      await kept.close();
      await pool.end();
    },
  };
}
