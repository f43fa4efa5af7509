/** The sentences of the trail: the same for the eye, for a screen reader, and in both forms. */
import type { Hop, Lack } from '@tracheon/core/trail';

const titles: Record<Hop['key'], (h: Hop) => string> = {
  source_to_us: (h) => `${h.from.name} sends`,
  us_to_page: (h) => `${h.to.name} gets`,
  page_to_us: (h) => `${h.from.name}, button`,
  us_to_offer: (h) => `${h.to.name} gets`,
  network_to_us: (h) => `${h.from.name} sends the postback`,
  us_to_source: (h) => `${h.to.name} gets the postback`,
};
export const hopTitle = (h: Hop): string => titles[h.key](h);

/** What is said where nothing travels yet. */
export function hopNote(h: Hop): string {
  if (h.carries.length > 0) return '';
  if (!h.isNeeded) return 'not needed';
  return h.state === 'missing' ? 'the ID gets lost here' : 'not known yet';
}

/** The screen on which a lack is put right. */
export function mendAt(lack: Lack, ids: Partial<Record<Lack['at'], string>>): string {
  const id = ids[lack.at];
  if (id === undefined || id === '') return '';
  return lack.at === 'campaign' ? `/campaigns/${id}` : `/parts/${lack.at}?open=${id}`;
}

/** A long parameter name without its middle; its beginning and end tell it apart. */
export function cutMiddle(text: string, most = 18): string {
  if (text.length <= most) return text;
  const head = Math.ceil((most - 1) / 2);
  return `${text.slice(0, head)}…${text.slice(text.length - (most - 1 - head))}`;
}
