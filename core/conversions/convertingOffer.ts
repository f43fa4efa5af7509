/** Which offer a conversion belongs to, where the visit's page had a button for each of several. */

export interface OfferClick {
  /** Of the offer. */
  networkId: string;
  atMs: number;
}

/**
 * The last offer of this network whose button the visitor had clicked when the network first told of the conversion; else
 * the first one clicked later, since a click may be stored after the postback. `own` is the visit's own offer: it counts
 * where no button of this network was clicked. Null where nothing of this network was offered.
 *
 * `clicks` are the first click of each button, oldest first. Goes by stored times only, so that the order in which receipts are
 * judged changes nothing.
 */
export function convertingOffer<T extends OfferClick, O extends { networkId: string }>(
  own: O,
  clicks: readonly T[],
  networkId: string,
  toldMs: number,
): T | O | null {
  const ofNetwork = clicks.filter((c) => c.networkId === networkId);
  const before = ofNetwork.filter((c) => c.atMs <= toldMs);
  return before.at(-1) ?? ofNetwork[0] ?? (own.networkId === networkId ? own : null);
}
