/**
 * What is handed over to a network: its postback URL as one, or one for each status or event with that value fixed in
 * it, for networks that have a field for each; as an address, or as a tag for advertisers that cannot call a server.
 */
import { statuses } from '../contract/statuses.ts';
import type { NetworkInput } from '../contract/networks.ts';
import { postbackUrl, wireName } from './compose.ts';
import { splitLink, withPair } from './parts.ts';

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

/** As an image or a script for a thank-you page. Their macros stay raw; the marks of HTML are the tag's. */
export function pixelTags(url: string): { image: string; script: string } {
  const attribute = url.replaceAll('&', '&amp;').replaceAll('"', '&quot;');
  const text = JSON.stringify(url).replaceAll('</', '<\\/');
  return {
    image: `<img src="${attribute}" width="1" height="1" alt="">`,
    script: `<script>new Image().src = ${text};</script>`,
  };
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
