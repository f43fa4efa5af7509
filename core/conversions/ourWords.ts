/** Receipts that Tracheon writes itself, of a change by hand or a row of a file: in our names, whatever the network's are. */
import { postbackFields, type NetworkInput } from '../contract/index.ts';
import type { EventTypeRule } from './readWords.ts';

/** What a member said of a file's way of writing; what is empty is as at the network. */
export interface FileReading {
  decimalMark: NetworkInput['decimalMark'];
  zone: string;
  /** A member decided to book it, wherever the offer's conversions come from. */
  isByHand?: boolean;
}

const plainNames = Object.fromEntries(
  postbackFields.map((f) => [f, { macro: '', parameter: '' }]),
) as NetworkInput['fields'];

/** The network as it is, but for the names of its parameters. */
export const inOurNames = (network: NetworkInput, file: FileReading | null): NetworkInput => ({
  ...network,
  fields: plainNames,
  extras: [],
  decimalMark: file?.decimalMark || network.decimalMark,
  zone: file?.zone || network.zone,
});

/** In our words as well: statuses are ours, event types go by their IDs, amounts have a point. */
export const inOurWords = (network: NetworkInput, types: readonly EventTypeRule[]): NetworkInput => ({
  ...inOurNames(network, null),
  statusWords: [],
  eventWords: types.map(({ id }) => ({ word: id, eventTypeId: id })),
  decimalMark: '.',
  zone: 'UTC',
});
