/** Which partners may promote an own offer, and how the desk and its partners agree on it. */
export const offerAccess = {
  hidden: {
    label: 'not shown to partners',
    meaning: 'The partner page doesn’t show it. Links that you give to partners work and pay.',
  },
  open: { label: 'every partner', meaning: 'Every partner sees it and can promote it at once.' },
  request: {
    label: 'partners who ask',
    meaning: 'Every partner sees it and can ask for it. A member of this desk decides.',
  },
  invitation: {
    label: 'partners whom you choose',
    meaning: 'Only partners whom you give access see it and can promote it.',
  },
} as const;
export type OfferAccess = keyof typeof offerAccess;
export const offerAccesses = Object.keys(offerAccess) as [OfferAccess, ...OfferAccess[]];

/** Whether a partner needs a yes of the desk before it is paid without a review. */
export const needsApproval = (access: OfferAccess): boolean =>
  access === 'request' || access === 'invitation';

/** `ended`: the desk took the access away again. */
export const accessStates = ['asked', 'approved', 'refused', 'ended'] as const;
export type AccessState = (typeof accessStates)[number];
/** What a member may do from each state; `none`: nobody has asked or decided yet. */
export const accessMoves: Record<AccessState | 'none', readonly AccessState[]> = {
  none: ['approved', 'ended'],
  asked: ['approved', 'refused'],
  approved: ['ended'],
  refused: ['approved', 'asked'],
  ended: ['approved'],
};

export const MAX_ACCESS_NOTE = 500;
