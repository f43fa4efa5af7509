import { describe, expect, it } from '@jest/globals';
import { tokenVisit, unknownVisit, type PartNames } from '../visits/index.ts';
import { filledLink, filledPostback } from './filledLink.ts';

const names: PartNames = {
  source: { id: 'S', name: 'Moorhen Push' },
  network: { name: 'Larkspur CPA' },
  offer: { id: 'O', name: 'Jar' },
  landing: null,
  id: 'C',
  name: 'NL jar',
  branchName: (id) => id,
};
const visit = tokenVisit({ ...unknownVisit, id: '01', subs: { site: 'a b' }, sourceClickId: 'k1' });

describe('a link filled on paper', () => {
  it('has the values of the visit, and names the tokens that stay empty', () => {
    expect(filledLink('https://o.example/x?r={click_id}&s={sub_site}&t={sub_title}', names, visit)).toEqual({
      url: 'https://o.example/x?r=01&s=a%20b&t=',
      empty: ['sub_title'],
    });
  });
  it('is none where the host is no fixed text', () => {
    expect(filledLink('https://{sub_site}/x', names, visit)).toEqual({ url: null, empty: [] });
  });
  it('to the source takes what the conversion adds', () => {
    const more = new Map([['payout', '1.5']]);
    const to = 'https://s.example/p?u={source_click_id}&sum={payout}&e={event}';
    expect(filledPostback(to, names, visit, more)).toEqual({
      url: 'https://s.example/p?u=k1&sum=1.5&e=',
      empty: ['event'],
    });
  });
});
