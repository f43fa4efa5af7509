/**
 * Cost entries: what a source billed for a period and a scope, as a total; or what it gave back, as a credit on a day.
 * An entry that lies inside another is narrower. Which of two entries a visit follows is settled by `compareStrength`.
 */
import type { Micros } from '../money/index.ts';

/** Where an entry comes from, the weaker first. What is typed by hand counts as a file; a model only estimates. */
export const costChannels = ['model', 'feed', 'file'] as const;
export type CostChannel = (typeof costChannels)[number];

/** Of one source. Empty campaign or account: all of them. */
export interface CostScope {
  campaignId: string;
  accountId: string;
  subs: Readonly<Record<string, string>>;
}

export interface CostEntry extends CostScope {
  id: string;
  channel: CostChannel;
  /** Of a credit what the source gives back. Never below zero. */
  amount: Micros;
  isCredit: boolean;
  currency: string;
  /** Fee on top, in percent × 10⁶. A credit carries none. */
  feePercent: bigint;
  /** In ms since 1970; the second is not in it. */
  from: number;
  to: number;
  /** Grows with the time at which it was entered. */
  order: number;
}

/** Names of what a scope is narrowed by, sorted. */
export const scopeNames = (scope: CostScope): string[] => [
  ...(scope.campaignId === '' ? [] : [CAMPAIGN]),
  ...(scope.accountId === '' ? [] : [ACCOUNT]),
  ...Object.keys(scope.subs)
    .sort()
    .map((name) => SUB + name),
];
const [CAMPAIGN, ACCOUNT, SUB] = ['campaign', 'account', 'sub '];

/** By a name that `scopeNames` gave. */
export function scopeValue(scope: CostScope, name: string): string {
  if (name === CAMPAIGN) return scope.campaignId;
  return name === ACCOUNT ? scope.accountId : (scope.subs[name.slice(SUB.length)] ?? '');
}

/** Values of these names, as one key. */
export const scopeKey = (scope: CostScope, names: readonly string[]): string =>
  names.map((name) => scopeValue(scope, name)).join('\0');

const strengthOf = (channel: CostChannel): number => costChannels.indexOf(channel);

/** Negative when `a` wins over `b`: by its channel, then the narrower, then the one that was entered later. */
export function compareStrength(a: CostEntry, b: CostEntry): number {
  return (
    strengthOf(b.channel) - strengthOf(a.channel) ||
    scopeNames(b).length - scopeNames(a).length ||
    a.to - a.from - (b.to - b.from) ||
    b.order - a.order ||
    (a.id < b.id ? 1 : a.id > b.id ? -1 : 0)
  );
}
