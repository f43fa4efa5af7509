import { createServer, type AddressInfo, type Server } from 'node:net';
import { afterEach, describe, expect, it } from '@jest/globals';
import { needFree } from '../../scripts/needFree.mjs';

let holder: Server | null = null;
afterEach(() => void holder?.close());
const held = (): Promise<number> =>
  new Promise((done) => {
    holder = createServer().listen(0, '127.0.0.1', () => done((holder!.address() as AddressInfo).port));
  });
const place = (port: number) => ({ name: 'DESK', host: '127.0.0.1', port });

describe('a port that a start needs', () => {
  it('is refused while another program uses it', async () => {
    await expect(needFree(place(await held()))).rejects.toThrow(/is used by another program/);
  });

  it('is waited for when it will be free soon', async () => {
    const port = await held();
    let waits = 0;
    await needFree(place(port), 60_000, () => {
      waits += 1;
      holder!.close();
    });
    expect(waits).toBe(1);
  });

  it('that is none, or of another machine, is said', async () => {
    await expect(needFree(place(70_000))).rejects.toThrow('TRACHEON_DESK_PORT is not a port number.');
    await expect(needFree({ ...place(7000), host: '203.0.113.9' }, 60_000)).rejects.toThrow(
      /can't listen on 203\.0\.113\.9:7000 \(EADDRNOTAVAIL\)/,
    );
  });
});
