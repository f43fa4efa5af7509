/** All countries by their English names, from the runtime's own list of region codes. */
import { countryName } from './format.ts';

const letters = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
/** Codes that the runtime names but that are no country: groupings, and reserved or outdated codes. */
const NOT_COUNTRIES = new Set([
  'EU',
  'EZ',
  'UN',
  'QO',
  'XA',
  'XB',
  'ZZ',
  'AC',
  'CP',
  'CQ',
  'DG',
  'EA',
  'IC',
  'TA',
  'AN',
  'BU',
  'CS',
  'DD',
  'DY',
  'FX',
  'HV',
  'NH',
  'RH',
  'SU',
  'TP',
  'UK',
  'VD',
  'YD',
  'YU',
  'ZR',
  'FQ',
  'JT',
  'MI',
  'NQ',
  'NT',
  'PC',
  'PU',
  'PZ',
  'WK',
  'CT',
]);

export const allCountries: { code: string; name: string }[] = letters
  .flatMap((a) => letters.map((b) => a + b))
  .filter((code) => !NOT_COUNTRIES.has(code) && countryName(code) !== code)
  .map((code) => ({ code, name: `${countryName(code)} (${code})` }))
  .sort((a, b) => a.name.localeCompare(b.name));
