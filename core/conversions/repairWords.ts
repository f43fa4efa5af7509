/** A group of postbacks that need repair, in words: what is wrong with all of them, and what can be done. */
import type { NetworkFix, PostbackReason, RepairGroup } from '../contract/index.ts';
import { reasonSentence } from './reasons.ts';

type Named = Pick<RepairGroup, 'reason' | 'key' | 'detail' | 'networkName'>;

const titles: Partial<Record<PostbackReason, (g: Named) => string>> = {
  unmapped_status: (g) => `${g.networkName} sends the status “${g.detail}”, which is not mapped`,
  unmapped_event: (g) =>
    g.detail === ''
      ? 'This desk has no event types'
      : `${g.networkName} sends the event “${g.detail}”, which is not mapped`,
  unreadable_currency: (g) =>
    `${g.networkName} sends the currency “${g.detail}”, which is not a currency code`,
  unreadable_payout: (g) =>
    g.key === 'ambiguous'
      ? `Payouts of ${g.networkName} are ambiguous`
      : g.key === 'negative'
        ? `${g.networkName} sends negative payouts`
        : `Tracheon can’t read payouts of ${g.networkName}`,
  click_unsubstituted: (g) => `${g.networkName} does not replace the macro ${g.detail}`,
  no_click_id: (g) => `Postbacks of ${g.networkName} have no click ID`,
  unknown_click: (g) => `${g.networkName} sends click IDs that no visit has`,
  unknown_transaction: (g) => `${g.networkName} sends transactions that no conversion has`,
  sent_to_no_offer: (g) => `${g.networkName} reports visits that were sent to no offer`,
  unreadable_body: (g) => `Tracheon can’t read postback bodies of ${g.networkName}`,
  not_a_value: (g) => `${g.networkName} sends an object or a list as “${g.detail}”`,
  several_matches: (g) => `Postbacks of ${g.networkName} match several conversions`,
  other_network: (g) => `${g.networkName} reports visits of ${g.detail || 'another network'}`,
  amount_too_large: (g) => `Sums of ${g.networkName} are too large to book`,
  address_not_listed: (g) =>
    `Postbacks of ${g.networkName} come from ${g.detail}, which is not an allowed address`,
  wrong_proof: (g) => `Postbacks of ${g.networkName} lack the secret or the signature`,
  partner_without_transaction: (g) => `Postbacks of ${g.networkName} name a partner but no transaction`,
  unknown_offer: (g) =>
    g.detail === ''
      ? `Postbacks of ${g.networkName} name a partner but no offer`
      : `${g.networkName} sends the offer “${g.detail}”, which no offer has as its ID`,
  no_cookie: (g) => `Pixels of ${g.networkName} carry no click ID and no cookie`,
};
export const groupTitle = (g: Named): string => titles[g.reason]?.(g) ?? reasonSentence(g.reason, g.detail);

/** How it is mended: by a change here, or at the network. */
export type Remedy = NetworkFix['kind'] | 'at_network';

export function remedyOf({
  reason,
  key,
  clickIdIn,
}: Pick<RepairGroup, 'reason' | 'key' | 'clickIdIn'>): Remedy {
  switch (reason) {
    case 'unmapped_status':
      return 'status_word';
    case 'unmapped_event':
      return 'event_word';
    case 'unreadable_currency':
      return 'currency_word';
    case 'unreadable_payout':
      return key === 'ambiguous' ? 'decimal_mark' : key === 'negative' ? 'negative' : 'at_network';
    case 'address_not_listed':
      return 'address';
    case 'no_click_id':
    case 'click_unsubstituted':
      return clickIdIn.length > 0 ? 'parameter' : 'at_network';
    case 'unknown_click':
    case 'unknown_offer':
      return 'none';
    default:
      return 'at_network';
  }
}

/** What to do where no change here helps. */
export function adviceOf({ reason, detail }: Pick<RepairGroup, 'reason' | 'detail'>): string {
  switch (reason) {
    case 'no_click_id':
    case 'click_unsubstituted':
      return 'The network must fix this: its postback URL lacks our click ID, or its macro is misspelled. Copy the correct postback URL and paste it there. These postbacks can’t be matched.';
    case 'unknown_click':
      return 'These click IDs belong to no visit of this desk, or the visit was deleted. Set the postbacks aside if they are not yours.';
    case 'unknown_offer':
      return detail === ''
        ? 'Add the offer’s ID to the postback URL under “offer_id”, and paste the URL at the network.'
        : `Open the offer and enter “${detail}” as its ID at the network. Then reprocess these postbacks.`;
    case 'partner_without_transaction':
      return 'Add the transaction macro to the postback URL. Tracheon matches a partner by its transaction.';
    case 'unknown_transaction':
      return 'Tracheon books each of them as soon as a conversion with its transaction arrives.';
    case 'unreadable_payout':
      return 'Write the payout as 1234.50, without signs or currency marks. Ask the network to change it.';
    case 'unreadable_body':
      return 'Ask the network to send URL parameters, a form, or JSON.';
    case 'not_a_value':
      return `Ask the network to send a plain value as “${detail}”.`;
    case 'several_matches':
      return 'Add the transaction macro to the postback URL, so that each postback names its conversion.';
    case 'other_network':
      return 'Check which network the offer belongs to. Only that network’s postbacks change its conversions.';
    case 'amount_too_large':
      return 'Check the payout with the network.';
    case 'wrong_proof':
      return 'Give the network the postback URL from the handover, or the secret that it signs with.';
    case 'no_cookie':
      return 'The browsers sent no cookie. Put the click ID into the pixel instead.';
    case 'sent_to_no_offer':
      return 'The campaign was paused when these visitors came.';
    default:
      return '';
  }
}
