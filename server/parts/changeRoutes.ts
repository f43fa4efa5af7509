/** Changes of many records, and their undoing. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { changeInBulk, listChanges, makeCampaigns, undoChange } from './bulkChange.ts';

export function changeRoutes(mount: Mount, { models, news }: ApiGround): void {
  mount('makeCampaigns', async ({ signed, body }) => {
    const made = await makeCampaigns(models, signed, body.words, body.campaigns);
    news.tell(signed.deskId, 'parts');
    return made;
  });
  mount('changeInBulk', async ({ signed, body }) => {
    const answer = await changeInBulk(models, signed, body.words, body.changes);
    news.tell(signed.deskId, 'parts');
    return answer;
  });
  mount('listChanges', ({ signed }) => listChanges(models, signed.deskId));
  mount('undoChange', async ({ signed, id }) => {
    const answer = await undoChange(models, signed, id);
    news.tell(signed.deskId, 'parts');
    return answer;
  });
}
