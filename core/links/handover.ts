/**
 * What is handed over to a network: its postback URL as one, or one for each status or event with that value fixed in
 * it, for networks that have a field for each; as an address, or as a tag for advertisers that cannot call a server.
 */
import { statuses } from '../contract/statuses.ts';
import type { NetworkInput } from '../contract/networks.ts';
import { postbackUrl, wireName } from './compose.ts';
import { splitLink, withoutPair, withPair } from './parts.ts';

export const handoverSplits = ['one', 'status', 'event'] as const;
export type HandoverSplit = (typeof handoverSplits)[number];

export interface HandedUrl {
  /** For which status or event; empty for the one URL. */
  of: string;
  /** The value that is fixed in it; empty for the one URL. */
  fixed: string;
  url: string;
}

export function handoverUrls(
  origin: string,
  intakeKey: string,
  network: NetworkInput,
  split: HandoverSplit,
  /** Event types with their words on the wire. */
  events: readonly { name: string; word: string }[],
): HandedUrl[] {
  const whole = postbackUrl(origin, intakeKey, network);
  if (split === 'one') return [{ of: '', fixed: '', url: whole }];
  const field = split === 'status' ? 'status' : 'event';
  const wire = wireName(network, field);
  const values =
    split === 'status'
      ? statuses.map((s) => ({ of: s, fixed: s as string }))
      : events.map((e) => ({ of: e.name, fixed: e.word }));
  return values.map(({ of, fixed }) => ({ of, fixed, url: withFixed(whole, wire, fixed) }));
}

function withFixed(url: string, name: string, value: string): string {
  const pairs = splitLink(url).pairs ?? [];
  const at = pairs.findIndex((p) => p.name === name);
  return withPair(url, at < 0 ? pairs.length : at, name, encodeURIComponent(value));
}

export type PixelKind = 'image' | 'iframe' | 'script';

/**
 * As a tag for a thank-you page. Their macros stay raw; the marks of HTML are the tag's. `byCookie`: without a click ID, so
 * that the visitor's cookie tells whose conversion it is.
 */
export function pixelTag(url: string, kind: PixelKind, network: NetworkInput, byCookie: boolean): string {
  const pairs = splitLink(url).pairs ?? [];
  const clickId = pairs.findIndex((p) => p.name === wireName(network, 'click_id'));
  const whole = byCookie && clickId >= 0 ? withoutPair(url, clickId) : url;
  const ending = { image: 'gif', iframe: 'html', script: 'js' }[kind];
  const address = whole.replace(/(\/in\/[^/?#]+)/, `$1.${ending}`);
  const attribute = address.replaceAll('&', '&amp;').replaceAll('"', '&quot;');
  return {
    image: `<img src="${attribute}" width="1" height="1" alt="">`,
    iframe: `<iframe src="${attribute}" width="1" height="1" title="" style="border:0"></iframe>`,
    script: `<script async src="${attribute}"></script>`,
  }[kind];
}

/** A text to send to the account manager. */
export function handoverText(networkName: string, urls: readonly HandedUrl[], scope: string): string {
  const what = urls.length === 1 ? 'this postback URL' : 'these postback URLs';
  return [
    'Hello,',
    '',
    `please set ${what} for our account at ${networkName}, for ${scope}. Please send it from your server for each conversion and each status change:`,
    '',
    ...urls.flatMap((u) => (u.of === '' ? [u.url, ''] : [`${u.of}:`, u.url, ''])),
    'The macros in it are yours. Please keep them exactly as they are. Our server’s response tells you the result of each postback.',
    '',
    'Thank you',
  ].join('\n');
}
