/** One sentence for each outcome of a postback: what happened and, where something is to be done, what. */
import type { PostbackReason } from '../contract/index.ts';

/** Where an offer's conversions come from, against what came. */
const channelWords: Record<string, string> = {
  file: 'a file, not from postbacks',
  feed: 'a feed, not from postbacks',
  postbacks: 'postbacks, not from files',
};

const sentences: Record<PostbackReason, (detail: string) => string> = {
  booked: () => 'New conversion.',
  moved: (d) => (d === '' ? 'Conversion updated.' : `Conversion updated: ${d}.`),
  same_again: () => 'Duplicate; nothing changed.',
  word_says_ignore: (d) => `The status “${d}” is mapped to “ignore”.`,
  move_not_allowed: (d) =>
    `Not applied: ${d}. Without a change time this could be an old postback that arrived late.`,
  other_channel: (d) =>
    `Kept for comparison only: the conversions of this event type come from ${channelWords[d] ?? d}.`,
  outside_window: () =>
    'The visit is older than the offer’s attribution window, so this does not count as a new conversion.',
  no_click_id: () =>
    'The postback has neither a click ID nor a transaction. Check that its URL contains the click ID macro.',
  click_unsubstituted: (d) =>
    `The macro ${d} came back unchanged: the network does not fill it here. Check the macro in the postback URL.`,
  unknown_click: (d) => `No visit has the click ID “${d.slice(0, 60)}”.`,
  unknown_transaction: (d) =>
    `The postback has no click ID, and no conversion of this network has the transaction “${d.slice(0, 60)}”.`,
  sent_to_no_offer: () => 'This visit was not sent to an offer because its campaign was paused.',
  unreadable_body: (d) => `Tracheon can’t read the body of the postback: ${d}`,
  not_a_value: (d) =>
    `“${d.slice(0, 60)}” holds an object or a list where a single value belongs. Ask the network to send a plain value.`,
  unreadable_payout: (d) => `Tracheon can’t read the payout: ${d}`,
  unreadable_currency: (d) => `“${d.slice(0, 20)}” is not a currency code.`,
  unmapped_status: (d) =>
    `The status “${d.slice(0, 60)}” is not mapped. Add it to the network’s status mapping.`,
  unmapped_event: (d) =>
    d === ''
      ? 'This desk has no event types. Create one.'
      : `The event “${d.slice(0, 60)}” is not mapped. Add it to the network’s event mapping.`,
  several_matches: (d) =>
    d === ''
      ? 'The visit has several conversions of this event type, and the postback has no transaction to tell which one it means.'
      : `The transaction “${d.slice(0, 60)}” belongs to more than one visit of this network.`,
  other_network: (d) =>
    `The visit belongs to an offer of ${d || 'another network'}. Only that network’s postbacks can change its conversions.`,
  amount_too_large: (d) => `The sum would be too large to book${d === '' ? '' : `: ${d}`}. Check the payout.`,
  address_not_listed: (d) =>
    `Held: it came from ${d || 'an address'} that is not in the network’s allowed addresses. Release it if the address belongs to the network.`,
  wrong_proof: () =>
    'Held: the secret or the signature is missing or wrong. Release it if the postback comes from the network.',
  no_cookie: () =>
    'The pixel has no click ID, and the browser sent no cookie of a visit to this network’s offers.',
  nothing_to_change: () => 'The conversion that this change was made to no longer exists.',
  partner_without_transaction: (d) =>
    `The postback names the partner “${d.slice(0, 60)}” but no transaction. Without a click ID, Tracheon needs both.`,
  unknown_offer: (d) =>
    d === ''
      ? 'The postback names a partner but no offer, and this network has several offers. Add the offer’s ID to the postback URL.'
      : `No offer of this network has the ID “${d.slice(0, 60)}”. Enter it in the offer, as its ID at the network.`,
  payout_reviewed: (d) => (d === 'pending' ? 'Partner payout put on hold.' : `Partner payout ${d}.`),
  no_partner_payout: () => 'No partner is paid for this conversion.',
  withdrawn: () => 'Undone by a member; it no longer counts.',
  not_judged_yet: () => 'Queued; Tracheon will process it in a moment.',
};

export function reasonSentence(reason: PostbackReason, detail = ''): string {
  return sentences[reason](detail);
}
