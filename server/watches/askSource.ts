/** Requests to a source about what was found: kept with the finding, sent after it is committed. */
import { ulid } from 'ulid';
import type { WatchInput } from '@tracheon/core/contract';
import { fillRequest } from '@tracheon/core/watches';
import { keepSends, type NewSend } from '../notices/keepSends.ts';
import type { Acted, Acts, ToAct } from './watchActs.ts';

export async function askSource(acts: Acts, watch: WatchInput, all: readonly ToAct[]): Promise<Acted[]> {
  const { models, transaction, by, nowMs } = acts;
  const source = await models.Part.findOne({
    where: { id: watch.sourceId, deskId: by.deskId, kind: 'source' },
    transaction,
  });
  if (!source || source.get().state === 'archived')
    return all.map(() => ({ why: 'The source is archived.' }));
  const shownTo = source.get().name;
  const sends = all.map((found): NewSend => {
    const request = fillRequest(watch.request, {
      value: found.value,
      name: found.name,
      watch: watch.name,
      finding_id: found.findingId,
      spent: (Number(found.spentMicros) / 1e6).toFixed(2),
    });
    return {
      id: ulid(nowMs),
      kind: 'request',
      target: watch.sourceId,
      shownTo,
      title: `${watch.name}: ${found.name}`,
      payload: { ...request, repeats: watch.request.repeats },
    };
  });
  await keepSends(models, transaction, by.deskId, sends, nowMs);
  return sends.map(({ id }) => ({ did: { sendId: id }, why: '' }));
}
