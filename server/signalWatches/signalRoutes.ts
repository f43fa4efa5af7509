/** Signal watches: what they find, which are on, and what is right as it is. */
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { readNoticeSettings } from '../notices/noticeSettings.ts';
import { lookNow, type SignalDeps } from './signalJobs.ts';
import { acceptSignal, listSignals, setSignals } from './signalStore.ts';

export interface LooksForSignals {
  signals: SignalDeps;
}

export function signalWatchRoutes(
  mount: Mount,
  { pool, config, news, now, signals }: ApiGround & LooksForSignals,
): void {
  mount('listSignals', ({ signed: { deskId } }) => listSignals(pool, deskId));
  mount('setSignals', async ({ signed: { deskId }, body: { off } }) => {
    // Makes the settings where there are none yet.
    await readNoticeSettings(
      pool,
      { serverSecret: config.secret, canMail: config.mail !== null },
      deskId,
      false,
    );
    await setSignals(pool, deskId, off);
    news.tell(deskId, 'watches');
    return {};
  });
  mount('lookForSignal', ({ signed: { deskId }, body: { kind } }) => {
    // Not waited for: hundreds of pages take minutes.
    void lookNow(signals, deskId, kind).catch((error: unknown) => signals.onTrouble(kind, error));
    return Promise.resolve({});
  });
  mount('acceptSignal', async ({ signed: { deskId }, id }) => {
    await acceptSignal(pool, deskId, id, now());
    news.tell(deskId, 'watches');
    return {};
  });
}
