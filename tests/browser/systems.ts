/** Before all browser tests: one system with the demo desk, one empty one. Each file then has a desk of its own on the second. */
import { startWholeSystem } from './wholeSystem.ts';

export default async function start(): Promise<() => Promise<void>> {
  const [demo, empty] = await Promise.all([
    startWholeSystem({ demo: true }),
    startWholeSystem({ demo: false }),
  ]);
  process.env.TRACHEON_BROWSER_SYSTEMS = JSON.stringify({ demo, empty });
  return async () => void (await Promise.all([demo.stop(), empty.stop()]));
}
