/** What a check has to say of a link: a code, its place, one sentence why, and a fix where one is certain. */
import type { MacroStyle } from '../contract/primitives.ts';
import type { TokenPlace } from '../tokens/index.ts';

export const findingCodes = [
  'no_click_id',
  'cut_token',
  'no_source_click_id',
  'click_id_twice',
  'click_id_place_taken',
  'looks_like_click_id',
  'foreign_macro',
  'our_token',
  'unknown_token',
  'wrong_style',
  'encoded_placeholder',
  'space_in_token',
  'bad_braces',
  'white_space',
  'parameter_twice',
  'second_question_mark',
  'empty_parameter',
  'missing_equals',
  'fragment_before_query',
  'not_absolute',
  'not_http',
  'credentials',
  'host_not_literal',
  'own_domain',
  'http_after_https',
  'too_long',
  'unencoded_value',
  'currency_differs',
  'no_payout_macro',
  'sample_value',
  'demanded_missing',
  'cut_too_short',
  'demanded_not_fed',
  'country_not_open',
  'button_missing',
] as const;
export type FindingCode = (typeof findingCodes)[number];

export interface Finding {
  code: FindingCode;
  /** `stop` keeps the record from being saved; `warn` is said and let through. */
  weight: 'stop' | 'warn';
  start: number;
  end: number;
  sentence: string;
  /** Replaces the text from `start` to `end`. */
  fix?: { text: string; words: string };
}

export interface LinkContext {
  /** Who replaces what stands in braces: *we* at a visit or conversion, or *they*. */
  expander: 'we' | 'they';
  place: TokenPlace;
  /** What has to travel in this link, by the token's name; its lack is said. */
  needs?: 'click_id' | 'source_click_id';
  /** The parameter under which the receiver takes our click ID. */
  clickIdParameter?: string;
  /** After so many characters the receiver cuts that parameter; 0 or absent: not at all. */
  clickIdLimit?: number;
  /** Parameters that the receiver demands, with the token that goes there; an empty one is the member's to fill. */
  demanded?: readonly { parameter: string; token: string }[];
  /** *They* links: the shape in which this partner writes placeholders. */
  shape?: MacroStyle;
  /** *They* links: this partner's macro for a token of ours, where it is known. */
  theirs?: Readonly<Record<string, string>>;
  /** Origins of our own tracking domains. */
  ownOrigins?: readonly string[];
  /** True when the hop before is https: a browser warns, or drops the referrer, when this one is not. */
  afterHttps?: boolean;
}

/** A link with one finding mended. */
export const applyFix = (link: string, f: Finding): string =>
  f.fix ? link.slice(0, f.start) + f.fix.text + link.slice(f.end) : link;
