/** What the load sends, each request made from its number: visits of many agents and addresses, or postbacks in. */
export interface Wanted {
  kind: 'visits' | 'calls';
  /** Keys of campaigns or of the intake. */
  keys: string[];
  /** Calls: click IDs to tell about. */
  clickIds?: string[];
  /** Counted when an answer's body has it. */
  mark?: string;
}
export const AGENTS = 600;
export const ADDRESSES = 50_000;
/** Of all calls, so many tell something new of a conversion that is there. */
export const UPDATES_EVERY = 10;

/** Made-up versions of the usual shapes; each is parsed once and cached. */
export function agent(n: number): string {
  const v = 90 + (n % 60);
  switch (n % 4) {
    case 0:
      return `Mozilla/5.0 (Linux; Android ${8 + (n % 8)}; Pixel ${1 + (n % 9)}) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/${v}.0.${n}.0 Mobile Safari/537.36`;
    case 1:
      return `Mozilla/5.0 (iPhone; CPU iPhone OS ${12 + (n % 7)}_${n % 6} like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/${12 + (n % 7)}.${n} Mobile/15E148 Safari/604.1`;
    case 2:
      return `Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/${v}.0.${n}.0 Safari/537.36`;
    default:
      return `Mozilla/5.0 (X11; Linux x86_64; rv:${v}.0) Gecko/20100101 Firefox/${v}.${n}`;
  }
}

const address = (n: number): string => {
  const a = (n * 7919) % ADDRESSES;
  return `${81 + (a % 5)}.${(a >> 8) & 255}.${(a * 13) & 255}.${a & 255}`;
};

export function makeRequests(wanted: Wanted, host: string): (n: number) => string {
  const agents = Array.from({ length: AGENTS }, (_, n) => agent(n));
  if (wanted.kind === 'visits')
    return (n) =>
      `GET /v/${wanted.keys[n % wanted.keys.length]}?clk=b${n}&bid=0.0${10 + (n % 90)}&site=site${n % 900}.example&zone=${n % 50}&ad=${n % 40}` +
      `&camp=${n % 12}&pos=${n % 7}&kw=hobby+kit+${n % 300}&fmt=native&title=Fern%20no%20${n % 80} HTTP/1.1\r\n` +
      `Host: ${host}\r\nUser-Agent: ${agents[(n * 31) % AGENTS]}\r\nAccept-Language: nl-BE,nl;q=0.9\r\n` +
      `Referer: https://site${n % 900}.example/page\r\nX-Forwarded-For: ${address(n)}\r\n\r\n`;
  const ids = wanted.clickIds ?? [];
  return (n) => {
    // The tenth call tells something new of the visit nine calls before.
    const update = n % UPDATES_EVERY === UPDATES_EVERY - 1;
    const at = update ? n - (UPDATES_EVERY - 1) : n;
    const id = ids.length === 0 ? `${n}` : ids[at % ids.length];
    return (
      `GET /in/${wanted.keys[0]}?click_id=${id}&payout=18.00&currency=EUR&transaction=B${at}&status=${update ? 'ok' : 'wait'} HTTP/1.1\r\n` +
      `Host: ${host}\r\nUser-Agent: practice\r\n\r\n`
    );
  };
}
