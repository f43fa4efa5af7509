/** What is known of a visit, in words. */
import type { VisitRow } from '@tracheon/core/contract';
import type { VisitFate } from '@tracheon/core/visits';

export function visitMarks(v: VisitRow): string {
  const unfilled = v.notes.some((n) => n.startsWith('unsubstituted'));
  const known = !v.isBot && !v.isRepeat ? (v.isUnique ? 'unique' : 'returning') : '';
  return [
    v.isBot && 'bot',
    v.isRepeat && 'repeat',
    v.isTest && 'test',
    known,
    unfilled && 'macro not filled',
    fateWords[v.fate],
  ]
    .filter(Boolean)
    .join(', ');
}

/** Where the visit was sent, where that was not simply its offer; empty when it was. */
export const fateWords: Record<VisitFate, string> = {
  sent: '',
  offer_fallback: 'sent to the offer’s fallback',
  campaign_fallback: 'sent to the campaign’s fallback',
  desk_fallback: 'sent to the desk’s fallback',
  paused: 'paid while paused',
  no_offer: 'no offer open',
};

/** What told a bot, after "recognized by". */
export const botReasons: Record<string, string> = {
  agent: 'its user agent',
  no_agent: 'a missing user agent',
  listed_agent: 'a user agent on your list',
  listed_address: 'an IP address on your list',
};

/** Notes are `code` or `code:parameter`. */
export function visitNote(note: string): string {
  const [what, name = ''] = note.split(':');
  const words: Record<string, string> = {
    repeated: `“${name}” appeared more than once; Tracheon used the first value`,
    unsubstituted: `the macro of “${name}” arrived unfilled`,
    cut: `“${name}” was longer than 512 bytes and was cut`,
    replaced_characters: 'Tracheon replaced characters that it cannot store',
    too_many_parameters: 'the link had more parameters than Tracheon reads',
    no_cost: 'the visit had no cost',
    unreadable_cost: 'Tracheon could not read the cost',
    odd_cost: 'the cost is far from the usual one',
    blocked_sub: 'the partner may not send visits with this sub-ID, so this one was sent to no offer',
    unknown_partner: 'the link named a partner that this desk does not have',
    rounded_cost: 'The cost had more than six decimals; Tracheon rounded it',
    raw_request_line:
      'The link contained raw spaces or special characters, which Tracheon read as if they were encoded',
    html_ampersand: 'The parameters were separated by “&amp;”, which Tracheon read as “&”',
    sent_nowhere: 'Neither an offer nor a fallback could take the visitor',
    page_script: 'registered by the script of the landing page, without a redirect',
    other_page: 'the script ran on a page with another address than the landing page',
    erased: 'personal data was erased',
    bot_cleared: 'no longer marked as bot because it converted',
  };
  return words[what!] ?? note;
}
