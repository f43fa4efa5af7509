/**
 * Sends e-mails, webhook calls and requests to sources that wait. The first two go at least once: whoever gets one twice
 * knows it by its Message-ID or its Idempotency-Key. A request whose outcome nobody knows is repeated only where its watch
 * allows it.
 */
import { createHmac } from 'node:crypto';
import type { Pool } from 'pg';
import type { NoticeSend } from '@tracheon/core/contract';
import type { FilledRequest } from '@tracheon/core/watches';
import type { RepeatedJob } from '../jobs/job.ts';
import { Refused, type Call } from '../notify/outgoing.ts';
import { delayBefore, GIVE_UP_MS } from '../notify/retries.ts';
import type { SendMail } from './mailer.ts';
import { webhookSecretOf } from './noticeSettings.ts';
import type { NoticePayload } from './writeNotice.ts';

const LOOK_EVERY_MS = 1000;
const AT_ONCE = 8;
/** Longer than any of them may take. */
const CLAIM_SECONDS = 90;
const MAX_RESULT_LENGTH = 300;

export interface SendDeps {
  pool: Pool;
  serverSecret: string;
  deskOrigin: string;
  call: Call;
  /** null: this server has no mail server. */
  mail: SendMail | null;
  headersOf: (deskId: string, sourceId: string) => Promise<Record<string, string>>;
  random: () => number;
  now: () => number;
  tell: (deskId: string) => void;
}
interface Due {
  id: string;
  desk_id: string;
  kind: NoticeSend['kind'];
  target: string;
  title: string;
  payload: NoticePayload & FilledRequest & { repeats: boolean };
  tries: number;
  made_at: Date;
  was: 'waiting' | 'sending';
}
/** `waiting`: it is tried again, for a day. */
interface Outcome {
  state: NoticeSend['state'];
  result: string;
}

export const sendNoticesJob = (deps: SendDeps): RepeatedJob => ({
  everyMs: LOOK_EVERY_MS,
  trouble: 'notices to send wait',
  run: async () => {
    for (;;) {
      const due = await claim(deps.pool);
      await Promise.all(due.map((one) => sendOne(deps, one)));
      if (due.length < AT_ONCE) break;
    }
  },
});

async function claim(pool: Pool): Promise<Due[]> {
  const { rows } = await pool.query<Due>(
    `WITH due AS (SELECT id, state FROM notice_sends WHERE state IN ('waiting', 'sending') AND next_try_at <= now()
       ORDER BY next_try_at LIMIT ${AT_ONCE} FOR UPDATE SKIP LOCKED)
     UPDATE notice_sends s SET state = 'sending', tries = tries + 1, next_try_at = now() + make_interval(secs => ${CLAIM_SECONDS})
     FROM due WHERE s.id = due.id RETURNING s.*, due.state AS was`,
  );
  return rows;
}

const by: Record<NoticeSend['kind'], (deps: SendDeps, due: Due) => Promise<Outcome>> = {
  mail: sendMail,
  webhook: callWebhook,
  request: callSource,
};

async function sendOne(deps: SendDeps, due: Due): Promise<void> {
  const { state, result } = await by[due.kind](deps, due).catch((error: unknown) => ({
    state: 'waiting' as const,
    result: (error as Error).message,
  }));
  const isLate = deps.now() - due.made_at.getTime() > GIVE_UP_MS;
  await deps.pool.query(
    `UPDATE notice_sends SET state = $2, result = $3, next_try_at = now() + make_interval(secs => $4) WHERE id = $1`,
    [
      due.id,
      state === 'waiting' && isLate ? 'gave_up' : state,
      result.slice(0, MAX_RESULT_LENGTH),
      delayBefore(due.tries + 1, deps.random()) / 1000,
    ],
  );
  deps.tell(due.desk_id);
}

async function sendMail({ pool, mail, deskOrigin }: SendDeps, due: Due): Promise<Outcome> {
  if (mail === null) return { state: 'gave_up', result: 'This server has no mail server.' };
  const { rows } = await pool.query<{ email: string; desk: string }>(
    `SELECT m.email, d.name AS desk FROM memberships s JOIN members m ON m.id = s.member_id JOIN desks d ON d.id = s.desk_id
     WHERE s.desk_id = $1 AND s.member_id = $2`,
    [due.desk_id, due.target],
  );
  const [member] = rows;
  if (!member) return { state: 'gave_up', result: 'This member is not in the desk any more.' };
  const { isAccepted, isOver, result } = await mail({
    messageId: `${due.id}@${new URL(deskOrigin).hostname}`,
    to: member.email,
    subject: `${member.desk}: ${due.title}`,
    text: `${due.payload.text}\n\nSee it in Tracheon: ${deskOrigin}${due.payload.to}\n`,
  });
  return { state: isAccepted ? 'accepted' : isOver ? 'gave_up' : 'waiting', result };
}

/** HMAC-SHA-256 over the moment, a full stop and the body. */
export const webhookSignature = (secret: string, time: string, body: string): string =>
  createHmac('sha256', secret).update(`${time}.${body}`).digest('hex');

async function callWebhook(deps: SendDeps, due: Due): Promise<Outcome> {
  const { pool, serverSecret, call, deskOrigin, now } = deps;
  const { url, secret } = await webhookSecretOf(pool, serverSecret, due.desk_id);
  if (url === '') return { state: 'gave_up', result: 'The webhook has been removed.' };
  const { title, text, to, watchId, at } = due.payload;
  const body = JSON.stringify({ id: due.id, at, title, text, watchId, url: `${deskOrigin}${to}` });
  const time = String(Math.floor(now() / 1000));
  const headers = {
    'Content-Type': 'application/json',
    'User-Agent': 'Tracheon',
    'Idempotency-Key': due.id,
    'X-Tracheon-Time': time,
    'X-Tracheon-Signature': webhookSignature(secret, time, body),
  };
  return calling(
    () => call(url, headers, body),
    () => 'waiting',
  );
}

async function callSource(deps: SendDeps, due: Due): Promise<Outcome> {
  const { url, body, repeats } = due.payload;
  if (due.was === 'sending' && !repeats)
    return {
      state: 'unknown',
      result: 'Tracheon was stopped while it sent this request. The source may have carried it out.',
    };
  const headers = {
    ...(await deps.headersOf(due.desk_id, due.target)),
    'User-Agent': 'Tracheon',
    'Idempotency-Key': due.id,
    ...(body ? { 'Content-Type': body.type } : {}),
  };
  return calling(
    () => deps.call(url, headers, body?.text),
    (wasSent) => (wasSent && !repeats ? 'unknown' : 'waiting'),
  );
}

/** Errors of the way to the other side: nothing was sent yet. */
const NOT_SENT = new Set([
  'ECONNREFUSED',
  'ENOTFOUND',
  'EAI_AGAIN',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'UND_ERR_CONNECT_TIMEOUT',
]);

/** `onTrouble` says what becomes of one that may have been carried out, or was not even sent. */
async function calling(
  call: () => Promise<{ status: number }>,
  onTrouble: (wasSent: boolean) => Outcome['state'],
): Promise<Outcome> {
  try {
    const { status } = await call();
    if (status >= 200 && status < 300) return { state: 'delivered', result: `It answered ${status}.` };
    if (status >= 300 && status < 400)
      return { state: 'gave_up', result: `It answered ${status}. Tracheon follows no redirects.` };
    if (status === 429) return { state: 'waiting', result: `It answered ${status}.` };
    if (status < 500 && status !== 408) return { state: 'gave_up', result: `It answered ${status}.` };
    return { state: onTrouble(true), result: `It answered ${status}.` };
  } catch (error) {
    const { code, cause, message } = error as Error & { code?: string; cause?: unknown };
    if (error instanceof Refused || cause instanceof Refused || error instanceof TypeError)
      return { state: 'gave_up', result: `Not sent: ${message}.` };
    return { state: onTrouble(!NOT_SENT.has(code ?? '')), result: message || String(code) };
  }
}
