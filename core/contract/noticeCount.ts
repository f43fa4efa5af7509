/** How many notices wait for a member: asked by the frame around every screen. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';

export const noticeCount = z.object({
  /** By this member. */
  unread: z.int(),
  /** Findings that wait for a decision of the desk's. */
  asked: z.int(),
});
export type NoticeCount = z.infer<typeof noticeCount>;

export const noticeCountEndpoints = {
  noticeCount: {
    method: 'get',
    path: '/notices/count',
    group: 'Watches',
    summary: 'How many notices you have not read, and how many findings wait for a decision.',
    least: 'viewer',
    answer: noticeCount,
  },
} as const satisfies Record<string, Endpoint>;
