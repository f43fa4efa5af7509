/** Leads of the practice network, the words it uses for their states, and the postback of each change. */
import type { Step } from '../habits/decisions.ts';

export const manners = ['well', 'slow', 'twice', 'lists', 'fails'] as const;

export type LeadState = 'waiting' | 'approved' | 'rejected' | 'reversed';
export interface Lead {
  id: string;
  at: number;
  offer: string;
  ref: string;
  /** The partner in the link; empty or missing: none. */
  pub?: string;
  amount: string;
  event: string;
  state: LeadState;
  calls: { at: number; url: string; result: string }[];
  /** What the network will decide, and when. */
  toCome: Step[];
}
export interface Manner {
  postback: string;
  /** A URL for a state of its own, in place of the one for all. */
  byState?: Partial<Record<LeadState, string>>;
  /**
   * How its server behaves: as it should, answers late, tells everything twice, sends several leads at once as a JSON list,
   * or fails to call at all.
   */
  manner: (typeof manners)[number];
}

/** This network's own words for its states. */
export const words: Record<LeadState, string> = {
  waiting: 'wait',
  approved: 'ok',
  rejected: 'no',
  reversed: 'back',
};
export const offers: Record<string, { title: string; amount: string; event: string }> = {
  '4471': { title: 'Fernway terrarium box', amount: '18.00', event: 'order' },
  '4480': { title: 'Skylark stargazing trial', amount: '12.50', event: 'order' },
  '4492': { title: 'Brindle & Oat sourdough set', amount: '9.75', event: 'order' },
};
export const SLOW_MS = 3000;
export const leadStates = Object.keys(words) as LeadState[];

/** Where this state is told: its own URL, else the one for all; empty: nowhere. */
export const templateFor = ({ postback, byState }: Manner, state: LeadState): string =>
  byState?.[state] || postback;

/** Its macros, `#name#`. Unknown ones stay as they are, as real networks do. */
export function postbackFor(template: string, lead: Lead, nowMs: number): string {
  const values: Record<string, string> = {
    ref: lead.ref,
    pub: lead.pub ?? '',
    oid: lead.offer,
    amt: lead.amount,
    cur: 'EUR',
    txn: lead.id,
    ev: lead.event,
    st: words[lead.state],
    ts: String(Math.floor(lead.at / 1000)),
    now: String(Math.floor(nowMs / 1000)),
  };
  return template.replace(/#([a-z]+)#/g, (whole, name: string) =>
    Object.hasOwn(values, name) ? encodeURIComponent(values[name]!) : whole,
  );
}

/** The postbacks of one address as a single one: what each would say in its query, as an object of a JSON list. */
export function asLists(urls: readonly string[]): { url: string; body: string }[] {
  const byAddress = new Map<string, Record<string, string>[]>();
  for (const url of urls) {
    const [address = '', query = ''] = url.split(/\?(.*)/s);
    byAddress.set(address, [
      ...(byAddress.get(address) ?? []),
      Object.fromEntries(new URLSearchParams(query)),
    ]);
  }
  return [...byAddress].map(([url, all]) => ({ url, body: JSON.stringify(all) }));
}

/** What the network says it owes: one line for each decided lead, as its own program writes it. */
export function statementCsv(leads: readonly Lead[]): string {
  const day = (ms: number): string => {
    const [y, m, d] = new Date(ms).toISOString().slice(0, 10).split('-');
    return `${d}.${m}.${y}`;
  };
  const lines = leads
    .filter((l) => l.state !== 'waiting')
    .map((l) => [l.id, l.ref, l.amount, 'EUR', words[l.state], day(l.at)].join(';'));
  return ['Order;Sub-ID;Commission;Currency;State;Date', ...lines, ''].join('\r\n');
}
