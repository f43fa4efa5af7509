/** One sentence for each outcome of a postback: what happened and, where something is to be done, what. */
import type { PostbackReason } from '../contract/index.ts';

const sentences: Record<PostbackReason, (detail: string) => string> = {
  booked: () => 'Booked as a new conversion.',
  moved: (d) =>
    d === '' ? 'The conversion was brought up to date.' : `The conversion was brought up to date: ${d}.`,
  same_again: () => 'The same was said before; nothing changes.',
  word_says_ignore: (d) => `The status word “${d}” is mapped to “ignore”.`,
  move_not_allowed: (d) =>
    `Kept but not applied: ${d} without a time of change could be an old call arriving late.`,
  other_channel: (d) =>
    `Kept for comparison: for this event type the offer takes its conversions from ${d === 'file' ? 'a file' : 'a feed'}, not from calls.`,
  outside_window: () => 'The visit is older than the offer’s attribution window; no new conversion arises.',
  no_click_id: () =>
    'No click ID and no transaction came with it: is the click-ID macro in the postback URL?',
  click_unsubstituted: (d) =>
    `The placeholder ${d} came back unfilled: the network does not know this macro here.`,
  unknown_click: (d) => `No visit here has the click ID “${d.slice(0, 60)}”.`,
  unknown_transaction: (d) =>
    `It came without click ID, and no conversion of this network has the transaction “${d.slice(0, 60)}”.`,
  sent_to_no_offer: () => 'This visit was sent to no offer: its campaign was stopped.',
  unreadable_payout: (d) => `The payout cannot be read with certainty: ${d}`,
  unreadable_currency: (d) => `“${d.slice(0, 20)}” is no currency code.`,
  unmapped_status: (d) => `The status word “${d.slice(0, 60)}” is not mapped for this network.`,
  unmapped_event: (d) =>
    d === ''
      ? 'This desk has no event type.'
      : `The event word “${d.slice(0, 60)}” is not mapped to an event type.`,
  several_matches: (d) =>
    `The transaction “${d.slice(0, 60)}” belongs to more than one conversion of this network.`,
  address_not_listed: (d) =>
    `It came from ${d || 'an address'} that is not on this network’s list; it is held until somebody releases it.`,
  not_judged_yet: () => 'Kept; it will be judged in a moment.',
};

export function reasonSentence(reason: PostbackReason, detail = ''): string {
  return sentences[reason](detail);
}
