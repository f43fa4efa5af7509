/** The scripts in examples/ run as they stand, with curl and a shell alone. */
import { spawn } from 'node:child_process';
import { expect, it } from '@jest/globals';
import type { MadeToken } from '@tracheon/core/contract';
import { makeDesk } from './sharedDesk.ts';

it('loop.sh sets up a chain, sends a visit and a conversion, and reads the figures; twice in a row', async () => {
  const desk = await makeDesk();
  const { token } = (await desk.owner.post<MadeToken>('/tokens', { name: 'script', scope: 'write' })).body;
  const run = (): Promise<{ code: number | null; output: string }> =>
    new Promise((resolve) => {
      const child = spawn('sh', ['examples/loop.sh'], {
        env: { PATH: process.env.PATH, TRACHEON_DESK: desk.owner.origin, TRACHEON_TOKEN: token },
      });
      let output = '';
      for (const stream of [child.stdout, child.stderr])
        stream.on('data', (c: Buffer) => (output += String(c)));
      child.on('close', (code) => resolve({ code, output }));
    });
  for (let n = 0; n < 2; n++) {
    const { code, output } = await run();
    expect([code, output]).toEqual([0, expect.stringMatching(/"outcome":"(accepted|queued)"/)]);
    expect(output).toMatch(
      /visit [0-9A-Z]{26} sent to https:\/\/go\.larkspur\.example\/o\/4471\?site=kiosk-nord\.example&aff_ref=/,
    );
    expect(output).toContain('"spentMicros":"250000"');
    expect(output).toContain('"earnedMicros":"18000000"');
    expect(output).toContain('"visits":1');
    expect(output).toContain('"conversions":1');
  }
  expect((await desk.booked()).map((c) => c.payoutMicros)).toEqual(['18000000', '18000000']);
  await desk.close();
});
