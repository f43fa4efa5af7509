/** Links for tests: a tracking link, or a postback URL, with samples where the other side would put its values. */
import type { NetworkInput } from '../contract/networks.ts';
import type { SourceInput } from '../contract/sources.ts';
import { wireName } from './compose.ts';

const samples: Readonly<Record<string, string>> = {
  site: 'testsite.example',
  zone: '1',
  ad: 'test-ad',
  title: 'A test',
  keyword: 'test',
  campaign: 'test',
};

/** A value for each parameter of the source, by parameter: what was typed, else a sample. */
export function sampleValues(
  source: Pick<SourceInput, 'parameters' | 'costUnit' | 'decimalMark'>,
  clickId: string,
  typed: Readonly<Record<string, string>> = {},
): Record<string, string> {
  const cost = source.costUnit === 'micros' ? '30000' : source.costUnit === 'thousand' ? '30' : '3';
  const values: Record<string, string> = {};
  for (const p of source.parameters)
    values[p.parameter] =
      typed[p.parameter] ??
      (p.role === 'click_id' ? clickId : p.role === 'cost' ? cost : (samples[p.sub] ?? 'test'));
  return values;
}

export const withValues = (base: string, values: Readonly<Record<string, string>>): string => {
  const query = Object.entries(values).map(([k, v]) => `${encodeURIComponent(k)}=${encodeURIComponent(v)}`);
  return query.length === 0 ? base : `${base}?${query.join('&')}`;
};

/** What a network says in a call, by our names; empty values are left out. */
export type SaidInCall = Partial<
  Record<'click_id' | 'payout' | 'currency' | 'transaction' | 'event' | 'status', string>
>;

/** The postback URL as this network would call it: its own parameters, its own words. */
export function calledPostback(
  origin: string,
  intakeKey: string,
  network: Pick<NetworkInput, 'fields'>,
  said: SaidInCall,
): string {
  const values: Record<string, string> = {};
  for (const [field, value] of Object.entries(said) as [keyof SaidInCall, string][])
    if (value !== '') values[wireName(network, field)] = value;
  return withValues(`${origin}/in/${intakeKey}`, values);
}

/** The network's own word for a status: the one that it is mapped from, else ours. */
export const statusWordOf = (network: Pick<NetworkInput, 'statusWords'>, status: string): string =>
  network.statusWords.find((w) => w.means === status)?.word ?? status;

/** The network's own word for an event type, else the type's word on the wire. */
export const eventWordOf = (
  network: Pick<NetworkInput, 'eventWords'>,
  eventType: { id: string; word: string },
): string => network.eventWords.find((w) => w.eventTypeId === eventType.id)?.word ?? eventType.word;

/** An amount in the network's own writing. */
export const amountText = (amount: string, decimalMark: string): string =>
  decimalMark === ',' ? amount.replace('.', ',') : amount;
