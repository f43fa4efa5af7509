/** Which configuration the running servers answer from. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { runningConfiguration } from './runningServers.ts';

export function snapshotRoutes(mount: Mount, { pool }: ApiGround): void {
  mount('configuration', ({ signed }) => runningConfiguration(pool, signed.deskId));
}
