/** Where notices are sent, and what was sent. */
import { ulid } from 'ulid';
import { Problem } from '../problems/problem.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { inTransaction } from '../db/transaction.ts';
import { keepSends } from './keepSends.ts';
import { readNoticeSettings, saveNoticeSettings, webhookSecretOf } from './noticeSettings.ts';
import { countNotices, listSends, readNotices } from './noticeStore.ts';
import type { NoticePayload } from './writeNotice.ts';

export function noticeRoutes(mount: Mount, { pool, models, config, news, now }: ApiGround): void {
  const canMail = config.mail !== null;
  const ground = { serverSecret: config.secret, canMail };
  const refuse = (path: string, message: string): never => {
    throw new Problem('invalid_input', { fields: [{ path, message }] });
  };
  mount('readNotices', async ({ signed, body: { ids } }) => {
    await readNotices(pool, signed, ids);
    news.tell(signed.deskId, 'watches');
    return {};
  });
  mount('noticeCount', ({ signed: { deskId, memberId } }) => countNotices(pool, deskId, memberId, now()));
  mount('noticeSettings', ({ signed }) =>
    readNoticeSettings(pool, ground, signed.deskId, signed.role !== 'viewer'),
  );
  mount('saveNoticeSettings', async ({ signed: { deskId }, body }) => {
    if (body.mailTo.length > 0 && !canMail)
      refuse('mailTo', 'This server has no mail server. Its operator sets one.');
    if (body.webhook && body.webhookUrl === '') refuse('webhookUrl', 'Enter the webhook’s URL.');
    await saveNoticeSettings(pool, config.secret, deskId, body);
    news.tell(deskId, 'watches');
    return readNoticeSettings(pool, ground, deskId, true);
  });
  mount('testNotice', async ({ signed: { deskId, memberId }, body: { kind } }) => {
    if (kind === 'mail' && !canMail) refuse('kind', 'This server has no mail server. Its operator sets one.');
    const { url } = await webhookSecretOf(pool, config.secret, deskId);
    if (kind === 'webhook' && url === '') refuse('kind', 'Enter and save the webhook’s URL first.');
    const member = await models.Member.findByPk(memberId);
    const payload: NoticePayload = {
      title: 'A test notice',
      text: 'You asked Tracheon to send this test. There is nothing to do.',
      to: '/watches/delivery',
      watchId: null,
      at: new Date(now()).toISOString(),
    };
    const isMail = kind === 'mail';
    const send = {
      id: ulid(now()),
      kind,
      target: isMail ? memberId : '',
      shownTo: isMail ? member!.get().email : url,
      title: payload.title,
      payload,
    };
    await inTransaction(models, (transaction) => keepSends(models, transaction, deskId, [send], now()));
    news.tell(deskId, 'watches');
    return {};
  });
  mount('listSends', async ({ signed: { deskId } }) => ({ rows: await listSends(pool, deskId) }));
}
