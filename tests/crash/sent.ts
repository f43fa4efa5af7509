/** What the load sends, made from its number alone, so that the comparison knows every field without being told. */
export interface LoadSettings {
  origin: string;
  campaignKey: string;
  intakeKey: string;
  /** Stands in every click ID and transaction of this run. */
  run: string;
  lanes: number;
  pauseMs: number;
  /** File that acknowledgements are written to, a JSON line each. */
  log: string;
}
export type Acknowledged =
  | { kind: 'visit'; n: number; id: string }
  | { kind: 'postback'; n: number; id: string; status: 'wait' | 'ok'; unknown: number; tries: number };

const agents = [
  'Mozilla/5.0 (Linux; Android 15; Pixel 8) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36',
  'Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.5 Safari/605.1.15',
  'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
];

export interface SentVisit {
  clk: string;
  site: string;
  bidMicros: number;
  query: string;
  agent: string;
  address: string;
}
export function sentVisit(run: string, n: number): SentVisit {
  const clk = `${run}-${n}`;
  const site = `site ${n % 97} ü`;
  const bidMicros = 10_000 + (n % 1000);
  const bid = (bidMicros / 1_000_000).toFixed(6);
  return {
    clk,
    site,
    bidMicros,
    query: `clk=${clk}&site=${encodeURIComponent(site)}&bid=${bid}`,
    agent: agents[n % agents.length]!,
    // An address each, so that every visit is a unique one.
    address: `145.53.${(n >> 8) & 255}.${n & 255}`,
  };
}

export const payoutMicros = (n: number): number => 1_000_000 + n * 10_000;
export const transaction = (run: string, n: number): string => `T-${run}-${n}`;
export const sentCall = (run: string, n: number, id: string, status: 'wait' | 'ok'): string =>
  `click_id=${id}&payout=${(payoutMicros(n) / 1_000_000).toFixed(2)}&currency=EUR&transaction=${transaction(run, n)}&status=${status}`;
