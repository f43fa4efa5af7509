/** The guide page of each screen, as it stands in docs/guide; shown by `?`. */
import campaign from '../../../docs/guide/campaign.md?raw';
import desk from '../../../docs/guide/desk.md?raw';
import eventType from '../../../docs/guide/event-type.md?raw';
import landingPage from '../../../docs/guide/landing-page.md?raw';
import linkReader from '../../../docs/guide/link-reader.md?raw';
import network from '../../../docs/guide/network.md?raw';
import offer from '../../../docs/guide/offer.md?raw';
import setUp from '../../../docs/guide/set-up.md?raw';
import source from '../../../docs/guide/source.md?raw';

const guides: [RegExp, string][] = [
  [/^\/parts\/network/, network],
  [/^\/parts\/source/, source],
  [/^\/parts\/landing-page/, landingPage],
  [/^\/parts\/offer/, offer],
  [/^\/parts\/event-type/, eventType],
  [/^\/campaigns/, campaign],
  [/^\/set-up/, setUp],
  [/^\/try\/link-reader/, linkReader],
  [/^\/desk/, desk],
];

/** Empty for a screen that needs none. */
export const guideOf = (path: string): string => guides.find(([at]) => at.test(path))?.[1] ?? '';
