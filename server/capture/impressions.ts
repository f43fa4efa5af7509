/**
 * GET /seen/<campaign key>: the impression pixel. Counted in memory and written every second: a kill loses at most that
 * second's, and nothing else depends on them. The answer is a transparent pixel, also when nobody knows the key.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { parseQuery } from '@tracheon/core/links';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { clientAddress, type Ranges } from '../addresses/addresses.ts';
import { refuse } from './answers.ts';
import { readSource } from './buildVisit.ts';
import { header, refuseNoVisit } from './handleVisit.ts';
import { PIXEL_IMAGE } from './pixelImage.ts';
import type { CompiledCampaign, Snapshot } from '../snapshot/compiled.ts';

const QUARTER_MS = 900_000;
/** Values kept apart between two writes; what comes on top is counted as (other). */
const MAX_VALUES = 20_000;
const OTHER = '(other)';

export interface ImpressionCount {
  deskId: string;
  campaignId: string;
  quarterMs: number;
  /** Empty for the campaign's own counter. */
  sub: string;
  value: string;
  times: number;
}

export class Impressions {
  private counts = new Map<string, ImpressionCount>();

  count(campaign: CompiledCampaign, query: string, nowMs: number): void {
    const quarterMs = Math.floor(nowMs / QUARTER_MS) * QUARTER_MS;
    const of = { deskId: campaign.deskId, campaignId: campaign.id, quarterMs };
    this.add({ ...of, sub: '', value: '', times: 1 });
    const { subs } = readSource(campaign.source.body, parseQuery(query), new Set());
    for (const [sub, value] of Object.entries(subs)) this.add({ ...of, sub, value, times: 1 });
  }

  add(one: ImpressionCount): void {
    const key = (value: string): string => [one.campaignId, one.quarterMs, one.sub, value].join('\u0000');
    const there = this.counts.get(key(one.value));
    if (there) there.times += one.times;
    else if (one.sub === '' || this.counts.size < MAX_VALUES) this.counts.set(key(one.value), one);
    else if (one.value !== OTHER) this.add({ ...one, value: OTHER });
    else this.counts.set(key(OTHER), one);
  }

  /** What was counted since the last time; it is the caller's to write, or to add again. */
  take(): ImpressionCount[] {
    const taken = [...this.counts.values()];
    this.counts = new Map();
    return taken;
  }
}

export interface ImpressionDeps {
  snapshot: () => Snapshot;
  impressions: Impressions;
  trusted: Ranges;
  strangers: FailureThrottle;
  now: () => number;
}

export function handleImpression(
  deps: ImpressionDeps,
  req: IncomingMessage,
  res: ServerResponse,
  key: string,
  query: string,
): void {
  if (refuseNoVisit(req, res)) return;
  const campaign = deps.snapshot().campaigns.get(key);
  const now = deps.now();
  if (!campaign) {
    // Here as well nobody searches for keys.
    const address = clientAddress(
      req.socket.remoteAddress ?? '',
      header(req, 'x-forwarded-for'),
      deps.trusted,
    );
    if (deps.strangers.isClosed(address, now)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    deps.strangers.failed(address, now);
  }
  if (campaign && req.method === 'GET') deps.impressions.count(campaign, query, now);
  res.writeHead(campaign ? 200 : 404, {
    'Content-Type': 'image/gif',
    'Content-Length': PIXEL_IMAGE.length,
    'Cache-Control': 'no-store',
    'X-Content-Type-Options': 'nosniff',
    'Cross-Origin-Resource-Policy': 'cross-origin',
  });
  res.end(PIXEL_IMAGE);
}
