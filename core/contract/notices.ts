/** How members are notified: on the screen, by e-mail, by a webhook; what was sent, and what became of it. */
import { z } from 'zod';
import { nothing, type Endpoint } from './endpoint.ts';
import { isoTime, recordId } from './primitives.ts';
import { httpUrl, orEmpty } from './texts.ts';

export const MAX_RECIPIENTS = 20;
/** Members by their IDs. */
export const recipients = z
  .array(recordId)
  .max(MAX_RECIPIENTS, `Choose at most ${MAX_RECIPIENTS} members.`)
  .default([]);

export const notice = z.object({
  id: recordId,
  at: isoTime,
  title: z.string(),
  text: z.string(),
  watchId: recordId.nullable(),
  /** The screen on which a member sees and mends it; empty: there is none. */
  to: z.string(),
  isRead: z.boolean(),
});
export type Notice = z.infer<typeof notice>;

export const noticeSettingsInput = z.object({
  /** Notices are sent here by POST; empty: nowhere. */
  webhookUrl: orEmpty(httpUrl).default(''),
  /** Who gets the notices of signal watches by e-mail. */
  mailTo: recipients,
  /** Whether notices of signal watches go to the webhook. */
  webhook: z.boolean().default(false),
});
export type NoticeSettingsInput = z.output<typeof noticeSettingsInput>;
export const noticeSettings = noticeSettingsInput.extend({
  /** Signs what the webhook gets; null for members who may not change it. */
  webhookSecret: z.string().nullable(),
  /** Whether this server has a mail server. */
  canMail: z.boolean(),
});
export type NoticeSettings = z.infer<typeof noticeSettings>;

export const sendKinds = ['mail', 'webhook', 'request'] as const;
export type SendKind = (typeof sendKinds)[number];
/**
 * `accepted`: a mail server has taken the e-mail, which need not mean that it arrives. `unknown`: the request may have been
 * carried out, and must not be repeated.
 */
export const sendStates = ['waiting', 'sending', 'accepted', 'delivered', 'unknown', 'gave_up'] as const;
export const noticeSend = z.object({
  id: recordId,
  kind: z.enum(sendKinds),
  /** An e-mail address, the webhook’s address, or the source. */
  to: z.string(),
  title: z.string(),
  state: z.enum(sendStates),
  tries: z.int(),
  at: isoTime,
  /** null: it is not tried again. */
  nextTryAt: isoTime.nullable(),
  /** What the other side answered, or why nothing was sent. */
  result: z.string(),
});
export type NoticeSend = z.infer<typeof noticeSend>;

export const noticeEndpoints = {
  readNotices: {
    method: 'post',
    path: '/notices/read',
    group: 'Watches',
    summary: 'Mark notices as read by you.',
    least: 'viewer',
    body: z.object({ ids: z.array(recordId).min(1).max(500) }),
    answer: nothing,
  },
  noticeSettings: {
    method: 'get',
    path: '/notice-settings',
    group: 'Watches',
    summary: 'Where notices are sent.',
    least: 'viewer',
    answer: noticeSettings,
  },
  saveNoticeSettings: {
    method: 'put',
    path: '/notice-settings',
    group: 'Watches',
    summary: 'Set where notices are sent.',
    least: 'editor',
    body: noticeSettingsInput,
    answer: noticeSettings,
  },
  testNotice: {
    method: 'post',
    path: '/notice-settings/test',
    group: 'Watches',
    summary: 'Send a test notice to yourself by e-mail, or to the webhook.',
    least: 'editor',
    body: z.object({ kind: z.enum(['mail', 'webhook']) }),
    answer: nothing,
  },
  listSends: {
    method: 'get',
    path: '/notice-sends',
    group: 'Watches',
    summary: 'The last e-mails, webhook calls and requests to sources, newest first.',
    least: 'viewer',
    answer: z.object({ rows: z.array(noticeSend) }),
  },
} as const satisfies Record<string, Endpoint>;
