/** Finding countries as one types: an exact code goes before names, and several codes at once are taken as they are. */
export interface Country {
  code: string;
  name: string;
}

/** The codes in a text that is nothing but two-letter codes with spaces or commas between; else none. */
export function codesIn(text: string, all: readonly Country[]): string[] {
  const parts = text
    .trim()
    .toUpperCase()
    .split(/[\s,;]+/);
  const known = new Set(all.map((c) => c.code));
  return parts.every((p) => known.has(p)) ? parts : [];
}

export function foundCountries(all: readonly Country[], text: string): Country[] {
  const wanted = text.trim().toLowerCase();
  if (wanted === '') return [...all];
  const rank = (c: Country): number => {
    if (c.code.toLowerCase() === wanted) return 0;
    if (c.name.toLowerCase().startsWith(wanted)) return 1;
    return c.name.toLowerCase().includes(wanted) ? 2 : 3;
  };
  return all
    .map((c) => [rank(c), c] as const)
    .filter(([n]) => n < 3)
    .sort(([a], [b]) => a - b)
    .map(([, c]) => c);
}
