/** What the notice of a check says. */
import type { WatchAct } from '@tracheon/core/contract';
import { seenOf, seenWords } from '@tracheon/core/watches';
import type { LookedRow } from './askWatch.ts';
import type { Booking } from './bookFindings.ts';

const SHOWN_FINDINGS = 20;
const DONE_WORDS: Record<WatchAct, string> = {
  notify: 'found',
  pause: 'paused',
  resume: 'resumed',
  weight: 'given another weight',
  block: 'blocked',
  allow: 'allowed',
  hold: 'held for review',
  request: 'sent to the source',
};

export function noticeOf(
  { watch, nameOf, currency, own }: Booking,
  found: readonly LookedRow[],
  acted: number,
): { title: string; text: string } {
  const parts = [
    found.length > 0 ? `${found.length} found` : '',
    acted > 0 ? `${acted} ${DONE_WORDS[watch.body.act]}` : '',
  ];
  const lines = found.slice(0, SHOWN_FINDINGS).map(
    (r) =>
      `${r.name}: ${seenOf(watch.body, r, own)
        .map((s) => seenWords(s, { nameOf, currency }))
        .join(', ')}.`,
  );
  const more = found.length - lines.length;
  return {
    title: `${watch.body.name}: ${parts.filter(Boolean).join(', ')}`,
    text: [...lines, ...(more > 0 ? [`And ${more} more.`] : [])].join('\n'),
  };
}
