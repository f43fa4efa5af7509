/** Headers that a source wants with each postback, as they are at the moment of sending. */
import type { Pool } from 'pg';
import { wholeBody } from '@tracheon/core/contract';
import { openSecrets } from '../secrets/secretStore.ts';
import { Refused } from './outgoing.ts';

/** Throws Refused when a value was encrypted by another key: a request without it would only be turned away. */
export async function sourceHeaders(
  pool: Pool,
  serverSecret: string,
  deskId: string,
  sourceId: string,
): Promise<Record<string, string>> {
  const { rows } = await pool.query<{ headers: unknown }>(
    `SELECT body->'postbackHeaders' AS headers FROM parts WHERE desk_id = $1 AND id = $2`,
    [deskId, sourceId],
  );
  const { postbackHeaders } = wholeBody('source', { name: 'x', postbackHeaders: rows[0]?.headers ?? [] });
  const secrets = await openSecrets(
    pool,
    serverSecret,
    deskId,
    postbackHeaders.map((h) => h.secretId).filter((id) => id !== ''),
  );
  return Object.fromEntries(
    postbackHeaders.map(({ name, value, secretId }) => {
      const of = secretId === '' ? value : secrets.get(secretId);
      if (of === undefined)
        throw new Refused(
          `the value of the header ${name} can't be read any more; enter it again at the source`,
        );
      return [name, of];
    }),
  );
}
