/**
 * Unique or returning, and repeats of a source click ID. Both look back 24 hours in memory; on start the memory is
 * warmed from the visits, so that a restart does not make everybody new. Bounded: the oldest are forgotten first.
 */
import * as crypto from 'node:crypto';
import { RecentKeys } from './recentKeys.ts';

export const WINDOW_MS = 24 * 3600 * 1000;
const MAX_REMEMBERED = 400_000;

export interface Salts {
  today: Buffer;
  yesterday: Buffer;
}

export class Memory {
  private readonly seen = new RecentKeys<number>(MAX_REMEMBERED);
  private readonly clicks = new RecentKeys<number>(MAX_REMEMBERED);
  private salts: { today: string; yesterday: string };
  private lastKeptMs = -Infinity;
  /** The last one that was kept under yesterday's salt; none is looked for under it a day later. */
  private yesterdayUntilMs = -Infinity;

  constructor(salts: Salts) {
    this.salts = asText(salts);
  }

  setSalts(salts: Salts): void {
    const next = asText(salts);
    if (next.today !== this.salts.today) this.yesterdayUntilMs = this.lastKeptMs;
    this.salts = next;
  }

  /** True for the first visit of this address and agent to the campaign in 24 h. `hash` is made with today's salt; `keep` is false for what is not recorded. */
  visit(
    campaignId: string,
    address: string,
    agent: string,
    nowMs: number,
    keep: boolean,
  ): { unique: boolean; hash: string } {
    const hash = visitorHash(this.salts.today, campaignId, address, agent);
    let last = this.seen.get(hash);
    if (last === undefined && nowMs - this.yesterdayUntilMs < WINDOW_MS)
      last = this.seen.get(visitorHash(this.salts.yesterday, campaignId, address, agent));
    const unique = last === undefined || nowMs - last >= WINDOW_MS;
    if (unique && keep) this.remember(hash, nowMs, false);
    return { unique, hash };
  }

  /** `isYesterdays`: it may have been made with yesterday's salt. */
  remember(hash: string, atMs: number, isYesterdays: boolean): void {
    this.seen.set(hash, atMs);
    this.lastKeptMs = Math.max(this.lastKeptMs, atMs);
    if (isYesterdays) this.yesterdayUntilMs = Math.max(this.yesterdayUntilMs, atMs);
  }

  /** True when this source has sent this click ID within 24 h before. */
  isRepeat(sourceId: string, sourceClickId: string, nowMs: number, keep: boolean): boolean {
    const key = `${sourceId}|${sourceClickId}`;
    const last = this.clicks.get(key);
    const repeat = last !== undefined && nowMs - last < WINDOW_MS;
    if (!repeat && keep) this.clicks.set(key, nowMs);
    return repeat;
  }
  rememberClick(sourceId: string, sourceClickId: string, atMs: number): void {
    this.clicks.set(`${sourceId}|${sourceClickId}`, atMs);
  }
}

const asText = ({ today, yesterday }: Salts): { today: string; yesterday: string } => ({
  today: today.toString('hex'),
  yesterday: yesterday.toString('hex'),
});

// In one call where the runtime has it (Node 20.12): a third of the time.
const { createHash } = crypto;
const sha256: (text: string) => string =
  'hash' in crypto
    ? (text) => crypto.hash('sha256', text, 'hex')
    : (text) => createHash('sha256').update(text).digest('hex');

const visitorHash = (salt: string, campaignId: string, address: string, agent: string): string =>
  sha256(`${salt}|${campaignId}|${address}|${agent}`).slice(0, 32);
