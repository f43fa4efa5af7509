/**
 * Names by the desk's rule: a text with words in braces, such as `{country} · {product} · {source}`. A word that is not
 * known leaves no gap: it goes with what joins it to the next.
 */
export const nameWords = ['country', 'product', 'source', 'network', 'offer', 'page', 'format'] as const;
export type NameWord = (typeof nameWords)[number];
export type NameParts = Partial<Record<NameWord, string>>;

/** Names are at most this long; see `recordName`. */
const MAX_NAME = 120;

export const defaultNameRules = {
  campaign: '{country} · {product} · {source}',
  offer: '{product} · {country} · {network}',
};

/** What is wrong with a rule, in a sentence; null when nothing is. */
export function nameRuleProblem(rule: string): string | null {
  const words = [...rule.matchAll(/\{([^{}]*)\}/g)].map((m) => m[1]!);
  const unknown = words.find((w) => !(nameWords as readonly string[]).includes(w));
  if (unknown !== undefined) return `{${unknown}} is not available in name rules. Use ${listed}.`;
  if (/[{}]/.test(rule.replace(/\{[^{}]*\}/g, ''))) return 'Close the brace with }.';
  if (words.length === 0) return `Use at least one of ${listed}.`;
  return null;
}
const listed = nameWords.map((w) => `{${w}}`).join(' ');

/** The name by the rule; empty when none of its words is known. */
export function nameByRule(rule: string, parts: NameParts): string {
  const [head = '', ...pieces] = rule.split(/(\{[a-z]+\})/);
  let name = '';
  let joint = head;
  for (let i = 0; i < pieces.length; i += 2) {
    const value = (parts[pieces[i]!.slice(1, -1) as NameWord] ?? '').trim().replace(/\s+/g, ' ');
    // A word that is missing keeps the joint that stood before it for the next one.
    if (value === '') continue;
    name += joint + value;
    joint = pieces[i + 1]!;
    if (i + 2 === pieces.length) name += joint;
  }
  return name.trim().slice(0, MAX_NAME).trim();
}

/** The name, or the same with the smallest number behind it that is still free. Names differ by more than case. */
export function freeName(name: string, taken: Iterable<string>): string {
  const used = new Set([...taken].map((t) => t.toLowerCase()));
  if (!used.has(name.toLowerCase())) return name;
  const stem = name.replace(/ \d+$/, '');
  for (let n = 2; ; n++) {
    const next = `${stem.slice(0, MAX_NAME - String(n).length - 1)} ${n}`;
    if (!used.has(next.toLowerCase())) return next;
  }
}
