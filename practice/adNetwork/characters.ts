/** Which ad network is simulated: its name, how it writes macros, how it hears of conversions. */
import type { MacroStyle } from '@tracheon/core/contract';

export interface Character {
  name: string;
  accent: string;
  /** Before its click IDs. */
  clickPrefix: string;
  /** The only shape whose macros it fills; null: it fills any usual one. */
  shape: MacroStyle | null;
  /** As its documentation shows them. */
  macros: string;
  /** Where it hears of conversions, as its documentation says. */
  hears: string;
  /** null: it cannot be called by a server's postback. */
  postbackPath: string | null;
  pixelPath: string;
}

export const moorhen: Character = {
  name: 'Moorhen Push',
  accent: '#7a3b12',
  clickPrefix: 'mh',
  shape: null,
  macros: '[click] [site] [zone] [ad] [title] [keyword] [campaign] [cost] [country], in any usual shape',
  hears: '/postback?uid=…&sum=…, or the image pixel /pixel?uid=…',
  postbackPath: '/postback',
  pixelPath: '/pixel',
};

/** Fills its own shape only, and knows no postback: an image pixel confirms. */
export const lapwing: Character = {
  name: 'Lapwing Pops',
  accent: '#31544a',
  clickPrefix: 'lw',
  shape: '%%x%%',
  macros: '%%CLICK%% %%ZONE%% %%SITE%% %%PRICE%% %%COUNTRY%%',
  hears: 'the image pixel /pix.gif?c=…',
  postbackPath: null,
  pixelPath: '/pix.gif',
};
