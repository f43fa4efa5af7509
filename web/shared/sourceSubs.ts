/** Which of a source's sub-IDs is looked at first. */
/** Where visits came from is what is cut most often. */
const FIRST_CHOICES = ['site', 'zone'];
/** The one that is looked at first; empty for a source that sends none. */
export const firstSub = (subs: readonly string[]): string =>
  FIRST_CHOICES.find((s) => subs.includes(s)) ?? subs[0] ?? '';
