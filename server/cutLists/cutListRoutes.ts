/** Cut lists, the lists of sources, and the rules of the desk's verdicts. */
import { verdictRules, type VerdictRules } from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { NumbersClient } from '../numbers/numbersClient.ts';
import { Problem } from '../problems/problem.ts';
import { cutList } from './cutList.ts';
import { addToList, listEntries, listsOf, removeFromList } from './listEntries.ts';

export function cutListRoutes(mount: Mount, { config, models }: ApiGround): void {
  const numbers = new NumbersClient(config.dataFolder);
  mount('cutList', async ({ signed: { deskId }, body, res }) => {
    const gone = new AbortController();
    // The page has been left: nobody waits for the answer.
    res.once('close', () => gone.abort());
    const lists = await listsOf(models, deskId, body);
    return cutList((asked) => numbers.ask({ deskId, asked }, gone.signal), body, lists);
  });
  mount('listEntries', ({ signed, query }) => listEntries(models, signed.deskId, query.sourceId));
  mount('addToList', ({ signed, body }) => addToList(models, signed, body));
  mount('removeFromList', ({ signed, body }) => removeFromList(models, signed, body.ids));
  mount('verdictRules', ({ signed }) => rulesOf(models, signed.deskId));
  mount('changeVerdictRules', async ({ signed: { deskId }, body }) => {
    await models.Desk.update({ verdictRules: body }, { where: { id: deskId } });
    return body;
  });
}

async function rulesOf(models: Models, deskId: string): Promise<VerdictRules> {
  const desk = await models.Desk.findByPk(deskId, { attributes: ['verdictRules'] });
  if (!desk) throw new Problem('not_found');
  return verdictRules.parse(desk.get().verdictRules);
}
