import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, it } from '@jest/globals';
import { NumbersClient } from './numbersClient.ts';
import { socketOf } from './numbersSocket.ts';

it('asks on a connection of its own each time: one that was idle may be closing', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'tracheon-client-'));
  const asked = new WeakSet();
  const state = { state: 'ready', visits: 3, ofAbout: 3 };
  const service = createServer((req, res) => {
    // As when the connection is closed at the moment at which it is used again.
    if (asked.has(req.socket)) return void req.socket.destroy();
    asked.add(req.socket);
    res.end(JSON.stringify(state));
  });
  await new Promise<void>((done) => service.listen(socketOf(folder), done));
  try {
    const client = new NumbersClient(folder);
    for (let n = 0; n < 3; n++) expect(await client.state()).toEqual(state);
  } finally {
    service.close();
    service.closeAllConnections();
    rmSync(folder, { recursive: true, force: true });
  }
});
