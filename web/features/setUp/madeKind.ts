/** Parts that can be made beside the setup sheet. */
export type MadeKind = 'network' | 'source' | 'landing-page';
