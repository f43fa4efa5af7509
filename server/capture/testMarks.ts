/**
 * The signed mark `_t` that makes a visit a test: for one campaign, for an hour, as from a country of the member's
 * choice. A parameter of that name that is not of this shape is somebody else's, and is left alone; one of this shape
 * that is not right is refused, so that a stale link never counts as a paid visit.
 */
import { createHmac, timingSafeEqual } from 'node:crypto';

export const TEST_PARAMETER = '_t';
export const TEST_SECONDS = 3600;
const PREFIX = 't1.';
/** 128 bits in base64url. */
const MAC_LENGTH = 22;

export interface TestMark {
  /** As from this country; empty: as the address says. */
  country: string;
}
export type ReadMark = { ok: true; mark: TestMark } | { ok: false; why: 'expired' | 'invalid' };

export class TestMarks {
  private readonly key: Buffer;

  constructor(secret: string) {
    this.key = createHmac('sha256', secret).update('test marks').digest();
  }

  /** `subject` is the key of the campaign, or of the network's intake, for which it is good. */
  make(subject: string, country: string, untilMs: number): string {
    const payload = `${Math.floor(untilMs / 1000).toString(36)}.${country}`;
    return `${PREFIX}${payload}.${this.mac(subject, payload)}`;
  }

  /** null when the query holds none of ours. */
  read(query: string, subject: string, nowMs: number): ReadMark | null {
    // Nearly no visit has one: looked for in the raw text first.
    if (!query.includes(`${TEST_PARAMETER}=${PREFIX}`)) return null;
    const text = new URLSearchParams(query).get(TEST_PARAMETER) ?? '';
    if (!text.startsWith(PREFIX)) return null;
    const [until = '', country = '', mac = ''] = text.slice(PREFIX.length).split('.');
    if (!this.isRight(subject, `${until}.${country}`, mac)) return { ok: false, why: 'invalid' };
    if (parseInt(until, 36) * 1000 < nowMs) return { ok: false, why: 'expired' };
    return { ok: true, mark: { country } };
  }

  private mac(subject: string, payload: string): string {
    return createHmac('sha256', this.key)
      .update(`${subject}|${payload}`)
      .digest('base64url')
      .slice(0, MAC_LENGTH);
  }
  private isRight(subject: string, payload: string, mac: string): boolean {
    const [given, right] = [Buffer.from(mac), Buffer.from(this.mac(subject, payload))];
    return given.length === right.length && timingSafeEqual(given, right);
  }
}
