/** The stream of news: one for each open browser. */
import type { Mount } from '../http/mount.ts';
import type { NewsDesk } from './news.ts';

export function streamRoutes(mount: Mount, { news }: { news: NewsDesk }): void {
  mount('stream', ({ req, res, signed }) =>
    news.open(res, {
      deskId: signed.deskId,
      memberId: signed.memberId,
      sid: signed.token ? '' : req.sessionID,
      tokenId: signed.token?.id ?? '',
    }),
  );
}
