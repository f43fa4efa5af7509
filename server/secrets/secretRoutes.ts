import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { keepSecret } from './secretStore.ts';

export function secretRoutes(mount: Mount, { pool, config }: ApiGround): void {
  mount('keepSecret', async ({ signed: { deskId, memberId }, body: { value } }) => ({
    id: await keepSecret(pool, config.secret, { deskId, memberId }, value),
  }));
}
