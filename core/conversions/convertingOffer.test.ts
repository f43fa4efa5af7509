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
  it('is the first one clicked when the click was stored after the postback', () => {
    expect(convertingOffer(own, [click('kite', 'larkspur', 20)], 'larkspur', 10)).toMatchObject({
      offerId: 'kite',
    });
  });
});
