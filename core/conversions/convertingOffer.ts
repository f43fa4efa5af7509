/** Which offer a conversion belongs to, where the visit's page had a button for each of several. */

export interface OfferClick {
  /** Of the offer. */
  networkId: string;
  atMs: number;
}

/**
 * The last offer of this network whose button the visitor had clicked when the network first told of the conversion; else the
 * visit's own offer (`own`), where that is of this network; else the first one clicked later, which a member reprocesses to.
 * Null where nothing of this network was offered.
 *
 * `clicks` are the first click of each button, oldest first. The choice goes by the stored times of clicks and of the first
 * receipt. Neither the order of judging nor a later click changes it.
 */
export function convertingOffer<T extends OfferClick, O extends { networkId: string }>(
  own: O,
  clicks: readonly T[],
  networkId: string,
  toldMs: number,
): T | O | null {
  const ofNetwork = clicks.filter((c) => c.networkId === networkId);
  const before = ofNetwork.filter((c) => c.atMs <= toldMs);
  return before.at(-1) ?? (own.networkId === networkId ? own : (ofNetwork[0] ?? null));
}
