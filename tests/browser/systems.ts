/**
 * Before all browser tests: one system with the demo desk, and an empty one for each file that sets the practice affiliate
 * network up, which knows one postback URL. Each file has a desk of its own there.
 */
import { startWholeSystem } from './wholeSystem.ts';

export default async function start(): Promise<() => Promise<void>> {
  const [demo, first, second] = await Promise.all([
    startWholeSystem({ demo: true }),
    startWholeSystem({ demo: false }),
    startWholeSystem({ demo: false }),
  ]);
  process.env.TRACHEON_BROWSER_SYSTEMS = JSON.stringify({ demo, first, second });
  return async () => void (await Promise.all([demo, first, second].map((system) => system.stop())));
}
