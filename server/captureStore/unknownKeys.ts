/** Requests with a key that nobody has, counted in memory and written now and then; bounded, so that guessing keys fills nothing. */
import type { Pool } from 'pg';

const MAX_KEYS = 1000;
const MAX_KEY_LENGTH = 64;

export class UnknownKeys {
  private counts = new Map<
    string,
    { kind: string; key: string; host: string; country: string; times: number }
  >();

  constructor(private readonly pool: Pool) {}

  count(kind: 'campaign' | 'button' | 'intake', rawKey: string, rawHost: string, country: string): void {
    const plain = (text: string): string => text.slice(0, MAX_KEY_LENGTH).replace(/[^\x20-\x7e]/g, '');
    const [key, host] = [plain(rawKey), plain(rawHost)];
    const found = this.counts.get(`${kind}|${key}|${host}`);
    if (found) found.times += 1;
    else if (this.counts.size < MAX_KEYS)
      this.counts.set(`${kind}|${key}|${host}`, { kind, key, host, country, times: 1 });
  }

  async flush(): Promise<void> {
    if (this.counts.size === 0) return;
    const batch = [...this.counts.values()];
    this.counts = new Map();
    await this.pool.query(
      `INSERT INTO unknown_keys (kind, key, host, times, last_country)
         SELECT * FROM unnest($1::text[], $2::text[], $3::text[], $4::int8[], $5::text[])
       ON CONFLICT (kind, key, host) DO UPDATE SET times = unknown_keys.times + excluded.times, last_at = now(), last_country = excluded.last_country`,
      [
        batch.map((b) => b.kind),
        batch.map((b) => b.key),
        batch.map((b) => b.host),
        batch.map((b) => b.times),
        batch.map((b) => b.country),
      ],
    );
    await this.pool.query(
      `DELETE FROM unknown_keys WHERE ctid IN (SELECT ctid FROM unknown_keys ORDER BY last_at DESC OFFSET $1)`,
      [MAX_KEYS],
    );
  }
}
