/** Signal watches: what Tracheon looks after by itself, on every desk from the start. */
import { z } from 'zod';
import { nothing, type Endpoint } from './endpoint.ts';
import { isoTime, recordId } from './primitives.ts';

export const signalKinds = [
  'server_trouble',
  'domain_trouble',
  'page_broken',
  'offer_changed',
  'no_visits',
  'no_postbacks',
  'match_falls',
  'new_word',
  'approval_falls',
  'unfilled_macros',
  'sends_fail',
  'paid_while_paused',
  'spend_runs',
  'cap_near',
  'feed_trouble',
] as const;
export type SignalKind = (typeof signalKinds)[number];

export const signal = z.object({
  id: recordId,
  kind: z.enum(signalKinds),
  /** What it is about, as screens call it. */
  name: z.string(),
  sentence: z.string(),
  /** How sure it is; empty: it was seen, not reckoned. */
  sure: z.string(),
  /** What to do. */
  advice: z.string(),
  /** The screen that helps. */
  to: z.string(),
  since: isoTime,
  foundAt: isoTime,
  /** null: it goes on. */
  endedAt: isoTime.nullable(),
  /** A member can say that it is right as it is now. */
  canAccept: z.boolean(),
});
export type Signal = z.infer<typeof signal>;

export const signalWatchEndpoints = {
  listSignals: {
    method: 'get',
    path: '/signals',
    group: 'Watches',
    summary: 'Signal watches, what they find now, and what they found last.',
    least: 'viewer',
    answer: z.object({
      off: z.array(z.enum(signalKinds)),
      open: z.array(signal),
      ended: z.array(signal),
      /** When each kind was looked at last. */
      lookedAt: z.partialRecord(z.enum(signalKinds), isoTime),
    }),
  },
  setSignals: {
    method: 'put',
    path: '/signals',
    group: 'Watches',
    summary: 'Switch signal watches off or on.',
    least: 'editor',
    body: z.object({ off: z.array(z.enum(signalKinds)).max(signalKinds.length) }),
    answer: nothing,
  },
  lookForSignal: {
    method: 'post',
    path: '/signals/look',
    group: 'Watches',
    summary: 'Let a signal watch look now. It may take a while: `lookedAt` then says when it did.',
    least: 'editor',
    body: z.object({ kind: z.enum(signalKinds) }),
    answer: nothing,
  },
  acceptSignal: {
    method: 'post',
    path: '/signals/{id}/accept',
    group: 'Watches',
    summary: 'Say that what a signal watch found is right as it is now.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found'],
  },
} as const satisfies Record<string, Endpoint>;
