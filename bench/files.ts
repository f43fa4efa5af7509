/** What benches of files share: visits of their own to report, and a member's way to the API. */
import { setTimeout as pause } from 'node:timers/promises';
import type { ImportDraft, ReceiptBatch } from '@tracheon/core/contract';
import { makeUlid } from '@tracheon/core/identity';
import { say, type BenchServer, type Scene } from './run.ts';

/** No bot: a conversion of one would clear its mark as well. */
const VISITOR =
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36';

/** A real visit, and copies of it; their click IDs. */
export async function copiedVisits(scene: Scene, server: BenchServer, count: number): Promise<string[]> {
  const first = await fetch(`http://${server.host}:${server.port}/v/${scene.campaignKeys[0]}?clk=one`, {
    redirect: 'manual',
    headers: { 'User-Agent': VISITOR },
  });
  if (first.status !== 302) throw new Error(`the visit was answered ${first.status}`);
  await pause(500);
  const { rows: columns } = await scene.client.query<{ name: string }>(
    `SELECT column_name AS name FROM information_schema.columns WHERE table_name = 'visits' AND column_name NOT IN ('id', 'tx')`,
  );
  const now = Date.now();
  const ids = Array.from({ length: count }, (_, n) =>
    makeUlid(
      now,
      Array.from({ length: 16 }, (_, i) => (n >> (i * 5)) & 31),
    ),
  );
  const names = columns.map((c) => `"${c.name}"`).join(', ');
  await scene.client.query(
    `INSERT INTO visits (id, ${names}) SELECT k.id, ${names} FROM (SELECT * FROM visits LIMIT 1) v, unnest($1::text[]) AS k (id)`,
    [ids],
  );
  await scene.client.query('ANALYZE');
  say(`${count} visits`);
  return ids;
}

export type Api = <T>(method: string, path: string, body?: unknown) => Promise<T>;

/** Signed in as the owner. */
export async function ownersApi(scene: Scene, server: BenchServer): Promise<Api> {
  const session = { Cookie: '', 'X-CSRF-Token': '' };
  const api: Api = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const isFile = body instanceof Uint8Array;
    const res = await fetch(`${server.desk}/api${path}`, {
      method,
      headers: {
        ...session,
        Origin: server.desk,
        'Content-Type': isFile ? 'application/octet-stream' : 'application/json',
      },
      ...(body === undefined
        ? {}
        : { body: isFile ? (body as Uint8Array<ArrayBuffer>) : JSON.stringify(body) }),
    });
    if (!res.ok) throw new Error(`${path}: ${res.status} ${await res.text()}`);
    session.Cookie = res.headers.get('set-cookie')?.split(';')[0] ?? session.Cookie;
    return (await res.json()) as T;
  };
  session['X-CSRF-Token'] = (await api<{ csrfToken: string }>('POST', '/sign-in', scene.owner)).csrfToken;
  return api;
}

/** Rows of a file, one for each click ID. */
export const fileOf = (ids: readonly string[], statusOf: (n: number) => string): string =>
  ['click_id,payout,currency,transaction,status']
    .concat(ids.map((id, n) => `${id},${(n % 90) + 1}.50,EUR,file-${n},${statusOf(n)}`))
    .join('\n');

export const upload = (api: Api, scene: Scene, file: string): Promise<ImportDraft> =>
  api('POST', `/imports?name=bench.csv&network=${scene.networkId}`, new TextEncoder().encode(file));

/** Resolves once the run is over, with how it ended. */
export async function over(api: Api, id: string): Promise<ReceiptBatch> {
  for (;;) {
    const batch = await api<ReceiptBatch>('GET', `/receipt-batches/${id}`);
    if (batch.state !== 'running') return batch;
    await pause(500);
  }
}
