/** Notices that leave the desk: e-mails through a real mail server, and calls of a webhook. */
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  MemberRow,
  NoticeCount,
  NoticeSend,
  NoticeSettings,
  Problem as ProblemDocument,
} from '@tracheon/core/contract';
import {
  buildMailbox,
  type Mail,
  type Mailbox,
  type MailManner,
} from '../../practice/mailbox/buildMailbox.ts';
import { inTransaction } from '../../server/db/transaction.ts';
import { webhookSignature } from '../../server/notices/sendNotices.ts';
import { writeNotice } from '../../server/notices/writeNotice.ts';
import { openOwnServer, type OwnDesk } from './ownServer.ts';
import { until } from './testDesk.ts';

const mailbox: Mailbox = buildMailbox({ stateFile: null });
const calls: { headers: IncomingHttpHeaders; body: string }[] = [];
let hookAnswers = 200;
let hook: Server;
let pages: Server;
let mailAt = '';
let hookAt = '';
let desk: OwnDesk;
let me: MemberRow;
const listen = async (server: { listen: Server['listen']; address: Server['address'] }, host: string) => {
  await new Promise<void>((done) => server.listen(0, host, () => done()));
  return (server.address() as AddressInfo).port;
};
beforeAll(async () => {
  pages = createServer(mailbox.app);
  hook = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk: Buffer) => (body += chunk.toString()));
    req.on('end', () => {
      calls.push({ headers: req.headers, body });
      res.writeHead(hookAnswers, hookAnswers === 302 ? { Location: 'http://127.0.0.1:1/' } : {}).end();
    });
  });
  const [smtpPort, pagePort, hookPort] = await Promise.all([
    listen(mailbox.smtp as Server, '127.0.0.8'),
    listen(pages, '127.0.0.8'),
    listen(hook, '127.0.0.9'),
  ]);
  mailAt = `http://127.0.0.8:${pagePort}`;
  hookAt = `http://127.0.0.9:${hookPort}/hook`;
  desk = await openOwnServer({
    TRACHEON_SMTP_URL: `smtp://127.0.0.8:${smtpPort}`,
    TRACHEON_MAIL_FROM: 'tracheon@desk.example',
    TRACHEON_ALLOW_OUTGOING: `127.0.0.9:${hookPort}`,
  });
  [me] = (await desk.owner.get<MemberRow[]>('/members')).body as [MemberRow];
});
afterAll(async () => {
  await desk.close();
  mailbox.stop();
  for (const server of [pages, hook]) {
    server.close();
    server.closeAllConnections();
  }
});

const mails = async (): Promise<Mail[]> => (await fetch(`${mailAt}/mails.json`)).json() as Promise<Mail[]>;
const mailServer = (manner: MailManner): Promise<unknown> =>
  fetch(`${mailAt}/manner`, { method: 'POST', body: new URLSearchParams({ manner }) });
const sends = async (): Promise<NoticeSend[]> =>
  (await desk.owner.get<{ rows: NoticeSend[] }>('/notice-sends')).body.rows;
const sendOf = async (title: string): Promise<NoticeSend> => (await sends()).find((s) => s.title === title)!;
const tryNow = (): Promise<unknown> =>
  desk.pool.query(`UPDATE notice_sends SET next_try_at = now() WHERE state = 'waiting'`);

let nowMs = Date.now();
const write = (title: string, more: { mailTo?: string[]; webhook?: boolean; text?: string } = {}) =>
  inTransaction(desk.running.models, (transaction) =>
    writeNotice(
      desk.running.models,
      transaction,
      {
        deskId: desk.deskId,
        watchId: null,
        title,
        text: more.text ?? 'fern: spent 30.00 EUR.',
        to: '/watches/notices',
        mailTo: more.mailTo ?? [],
        webhook: more.webhook ?? false,
      },
      (nowMs += 10),
    ),
  );
const settled = async (title: string): Promise<NoticeSend> => {
  await until(async () => !['waiting', 'sending'].includes((await sendOf(title)).state), title);
  return sendOf(title);
};

describe('an e-mail', () => {
  it('arrives with what was found, at those who were chosen, and nothing of a name becomes a header', async () => {
    const title = 'Sites “that” lose\r\nBcc: somebody@else.example: 2 found';
    await write(title, { mailTo: [me.id, '01J0000000000000000000000X'], text: 'fern: spent 30.00 €.' });
    expect(await settled(title)).toMatchObject({ kind: 'mail', to: me.email, state: 'accepted', tries: 1 });
    const [mail] = await mails();
    expect(mail).toMatchObject({
      to: me.email,
      subject: 'Hobby kits, Ghent: Sites “that” lose Bcc: somebody@else.example: 2 found',
    });
    expect(mail!.text).toContain('fern: spent 30.00 €.');
    expect(mail!.text).toMatch(/See it in Tracheon: http:\/\/127\.0\.0\.1:\d+\/watches\/notices/);
    expect(mail!.messageId).toBe(`<${(await sendOf(title)).id}@127.0.0.1>`);
  });

  it('is tried again, as the same one, while the server says “later” or does not answer', async () => {
    await mailServer('later');
    await write('later', { mailTo: [me.id] });
    await until(async () => (await sendOf('later')).tries === 1, 'the first try');
    await until(async () => (await sendOf('later')).state === 'waiting', 'its answer');
    expect((await sendOf('later')).result).toContain('451');
    await mailServer('takes');
    await tryNow();
    expect(await settled('later')).toMatchObject({ state: 'accepted', tries: 2 });
    expect((await mails())[0]!.messageId).toBe(`<${(await sendOf('later')).id}@127.0.0.1>`);
    await desk.pool.query(`UPDATE notice_sends SET made_at = made_at - interval '25 hours'`);
  });

  it('is given up when it is refused for good, and after a day', async () => {
    await mailServer('refuses');
    await write('refused', { mailTo: [me.id] });
    expect(await settled('refused')).toMatchObject({ state: 'gave_up', tries: 1 });
    expect((await sendOf('refused')).result).toContain('550');
    await mailServer('later');
    nowMs -= 25 * 3_600_000;
    await write('too late', { mailTo: [me.id] });
    expect(await settled('too late')).toMatchObject({ state: 'gave_up', tries: 1 });
    nowMs += 25 * 3_600_000;
    await mailServer('takes');
  });
});

describe('a webhook', () => {
  const save = (more: object) =>
    desk.owner.put<NoticeSettings & ProblemDocument>('/notice-settings', {
      webhookUrl: hookAt,
      mailTo: [],
      webhook: true,
      ...more,
    });

  it('is called with signed JSON, and by nobody who only looks', async () => {
    expect((await save({})).status).toBe(200);
    const { webhookSecret, canMail } = (await desk.owner.get<NoticeSettings>('/notice-settings')).body;
    expect(canMail).toBe(true);
    const viewer = await desk.member('viewer');
    expect((await viewer.get<NoticeSettings>('/notice-settings')).body.webhookSecret).toBeNull();
    await write('hook', { webhook: true });
    expect(await settled('hook')).toMatchObject({ kind: 'webhook', to: hookAt, state: 'delivered' });
    const [{ headers, body }] = calls as [(typeof calls)[number]];
    expect(JSON.parse(body)).toMatchObject({ title: 'hook', text: 'fern: spent 30.00 EUR.', watchId: null });
    expect(headers['x-tracheon-signature']).toBe(
      webhookSignature(webhookSecret!, String(headers['x-tracheon-time']), body),
    );
    const { rows } = await desk.pool.query<{ sealed: Buffer }>('SELECT sealed FROM notice_settings');
    expect(rows[0]!.sealed.toString('latin1')).not.toContain(webhookSecret!);
  });

  it('is called again with the same key after an error, and never where a redirect leads', async () => {
    calls.length = 0;
    hookAnswers = 500;
    await write('error', { webhook: true });
    await until(
      async () => calls.length === 1 && (await sendOf('error')).state === 'waiting',
      'the first try',
    );
    hookAnswers = 200;
    await tryNow();
    expect(await settled('error')).toMatchObject({ state: 'delivered', tries: 2 });
    expect(calls[1]!.headers['idempotency-key']).toBe(calls[0]!.headers['idempotency-key']);
    hookAnswers = 302;
    await write('elsewhere', { webhook: true });
    expect(await settled('elsewhere')).toMatchObject({ state: 'gave_up' });
    hookAnswers = 200;
    await save({ webhookUrl: 'http://10.1.2.3/hook' });
    await write('private', { webhook: true });
    expect((await settled('private')).result).toContain('private address');
  });

  it('is refused where there is none', async () => {
    const refused = await save({ webhookUrl: '', webhook: true });
    expect(refused.body.fields!.map((f) => f.path)).toEqual(['webhookUrl']);
    expect((await save({ webhookUrl: 'ftp://files.example/', webhook: false })).status).toBe(422);
    expect((await save({ webhookUrl: '', webhook: false })).status).toBe(200);
    expect((await desk.owner.post('/notice-settings/test', { kind: 'webhook' })).status).toBe(422);
    await write('no hook', { webhook: true });
    expect((await sends()).filter((s) => s.title === 'no hook')).toEqual([]);
  });
});

it('what a process was sending when it was killed is sent again, but for a request that must not be repeated', async () => {
  await write('killed', { mailTo: [me.id] });
  await settled('killed');
  const mail = await sendOf('killed');
  const source = (await desk.chain()).source.id;
  const request = (repeats: boolean) => JSON.stringify({ url: hookAt, body: null, repeats });
  // As it lies there: claimed, and nobody has said what became of it.
  await desk.pool.query(
    `INSERT INTO notice_sends (id, desk_id, kind, target, shown_to, title, payload, state, tries, made_at, next_try_at)
     VALUES ($1, $3, 'request', $4, 'Moorhen Push', 'never twice', $5, 'sending', 1, now(), now()),
       ($2, $3, 'request', $4, 'Moorhen Push', 'as often as needed', $6, 'sending', 1, now(), now())`,
    [
      '01J0000000000000000000000A',
      '01J0000000000000000000000B',
      desk.deskId,
      source,
      request(false),
      request(true),
    ],
  );
  await desk.pool.query(`UPDATE notice_sends SET state = 'sending', next_try_at = now() WHERE id = $1`, [
    mail.id,
  ]);
  calls.length = 0;
  hookAnswers = 200;
  expect(await settled('never twice')).toMatchObject({ state: 'unknown', tries: 2 });
  expect(await settled('as often as needed')).toMatchObject({ state: 'delivered' });
  expect(calls.map((c) => c.headers['idempotency-key'])).toEqual(['01J0000000000000000000000B']);
  expect(await settled('killed')).toMatchObject({ state: 'accepted', tries: 2 });
  const [again, first] = await mails();
  expect(again!.messageId).toBe(first!.messageId);
});

it('a test e-mail reaches whoever asked for it; what is unread is counted for each member', async () => {
  const before = (await mails()).length;
  expect((await desk.owner.post('/notice-settings/test', { kind: 'mail' })).status).toBe(200);
  await until(async () => (await mails()).length === before + 1, 'the e-mail');
  const count = async () => (await desk.owner.get<NoticeCount>('/notices/count')).body;
  const { unread } = await count();
  expect(unread).toBeGreaterThan(5);
  const { notices } = (await desk.owner.get<{ notices: { id: string }[] }>('/notices')).body;
  await desk.owner.post('/notices/read', { ids: notices.map((n) => n.id) });
  expect(await count()).toEqual({ unread: 0, asked: 0 });
});
