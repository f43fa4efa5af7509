/** Before all browser tests: the running system. Each file that changes anything has a desk of its own there. */
import { startWholeSystem } from './wholeSystem.ts';

export default async function start(): Promise<() => Promise<void>> {
  const { stop, ...systems } = await startWholeSystem();
  process.env.TRACHEON_BROWSER_SYSTEMS = JSON.stringify(systems);
  return stop;
}
