import { expect, it } from '@jest/globals';
import type { VisitRow } from '@tracheon/core/contract';
import { openOwnServer } from './ownServer.ts';

it('a visit does not get its address from a header that just anybody sent', async () => {
  const desk = await openOwnServer({ TRACHEON_TRUSTED_PROXIES: '' });
  try {
    const chain = await desk.chain();
    const id = await chain.send('', { 'X-Forwarded-For': '145.53.10.20' });
    expect((await desk.owner.get<VisitRow>(`/visits/${id}`)).body.country).toBe('');
  } finally {
    await desk.close();
  }
});
