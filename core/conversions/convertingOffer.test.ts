import { describe, expect, it } from '@jest/globals';
import { convertingOffer } from './convertingOffer.ts';

const own = { offerId: 'box', networkId: 'larkspur' };
const click = (offerId: string, networkId: string, atMs: number) => ({ offerId, networkId, atMs });

describe('the offer that a conversion belongs to', () => {
  it('is the visit’s own while no button was clicked', () => {
    expect(convertingOffer(own, [], 'larkspur', 100)).toBe(own);
    expect(convertingOffer(own, [], 'saltmarsh', 100)).toBeNull();
  });
  it('is the last one of the calling network that was clicked before it told', () => {
    const clicks = [
      click('box', 'larkspur', 10),
      click('kite', 'larkspur', 20),
      click('lamp', 'saltmarsh', 30),
      click('seeds', 'larkspur', 40),
    ];
    expect(convertingOffer(own, clicks, 'larkspur', 35)).toMatchObject({ offerId: 'kite' });
    expect(convertingOffer(own, clicks, 'larkspur', 20)).toMatchObject({ offerId: 'kite' });
    expect(convertingOffer(own, clicks, 'larkspur', 99)).toMatchObject({ offerId: 'seeds' });
    expect(convertingOffer(own, clicks, 'saltmarsh', 99)).toMatchObject({ offerId: 'lamp' });
  });
  it('does not move to a button that is clicked after the network told', () => {
    expect(convertingOffer(own, [click('kite', 'larkspur', 20)], 'larkspur', 10)).toBe(own);
    const later = [click('kite', 'larkspur', 5), click('seeds', 'larkspur', 20)];
    expect(convertingOffer(own, later, 'larkspur', 10)).toMatchObject({ offerId: 'kite' });
  });
  it('is the first one clicked later, of a network whose button nobody had clicked when it told', () => {
    const clicks = [click('lamp', 'saltmarsh', 20), click('moss', 'saltmarsh', 30)];
    expect(convertingOffer(own, clicks, 'saltmarsh', 10)).toMatchObject({ offerId: 'lamp' });
  });
});
