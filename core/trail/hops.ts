/**
 * The ID trail: the way of the IDs hop by hop. From the source to us, on to the page and by its button back to us, on
 * to the offer; and back, from the network to us, and from us to the source. Pure data; the graphic draws it.
 */
import type { PartKind } from '../contract/parts.ts';
import type { FindingCode } from '../links/finding.ts';

export const hopKeys = [
  'source_to_us',
  'us_to_page',
  'page_to_us',
  'us_to_offer',
  'network_to_us',
  'us_to_source',
] as const;
export type HopKey = (typeof hopKeys)[number];

export type Station = 'source' | 'us' | 'page' | 'offer' | 'network';
/** One end of a hop. */
export interface End {
  station: Station;
  name: string;
  /** What happens there, in a few words. */
  says: string;
}

/** A name under which an ID, or what goes with it, travels; and what stands in its place: a token, a macro, a value. */
export interface Carried {
  name: string;
  value: string;
}

export interface Lack {
  code:
    | FindingCode
    | 'not_chosen'
    | 'needs_page'
    | 'seen_missing'
    | 'seen_unfilled'
    | 'seen_unmatched'
    | 'seen_refused';
  sentence: string;
  /** Where it is put right. */
  at: PartKind;
  /** The ID does not get across; else it is only said. */
  breaks: boolean;
}

/** `waiting`: nothing is wrong, and nothing has been seen or chosen yet. `missing`: the ID does not get across. */
export type HopState = 'known' | 'waiting' | 'missing';

export interface Hop {
  key: HopKey;
  from: End;
  to: End;
  carries: Carried[];
  /** Who fills what stands in `carries`: our tokens, or their macros. */
  expander: 'we' | 'they';
  state: HopState;
  /** False where nothing has to travel, as to a source that takes no postback. */
  isNeeded: boolean;
  lacks: Lack[];
  /** What was seen of it, in words; empty when that is not known. */
  seen: string;
  /** The screen with the requests behind what was seen; empty for none. */
  to_requests: string;
}

export const isWayBack = (key: HopKey): boolean => key === 'network_to_us' || key === 'us_to_source';
