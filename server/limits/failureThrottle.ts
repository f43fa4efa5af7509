/** Counts failures by address and minute. Only failures count, so that honest traffic from one address goes on. */
import { LRUCache } from 'lru-cache';
import { MAX_THROTTLED_ADDRESSES } from './limits.ts';

const WINDOW_MS = 60_000;

export class FailureThrottle {
  private readonly counts = new LRUCache<string, { failures: number; until: number }>({
    max: MAX_THROTTLED_ADDRESSES,
  });

  constructor(private readonly limit: number) {}

  /** True when this address has failed too often within the minute. */
  isClosed(address: string, nowMs: number): boolean {
    const found = this.counts.get(address);
    return found !== undefined && nowMs < found.until && found.failures >= this.limit;
  }

  failed(address: string, nowMs: number): void {
    const found = this.counts.get(address);
    if (found && nowMs < found.until) found.failures += 1;
    else this.counts.set(address, { failures: 1, until: nowMs + WINDOW_MS });
  }
}
