/** Addresses in a pasted text: one on each line, or in the tags of a pasted piece of HTML. Nothing is fetched. */
export interface ExtractedLink {
  link: string;
  /** The tag it stood in, or `text`. */
  from: 'text' | 'img' | 'script' | 'iframe' | 'a' | 'form' | 'link';
}

const TAG =
  /<(img|script|iframe|a|form|link)\b[^>]*?\b(?:src|href|action)\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s>"']+))/gi;
const PLAIN = /(?:https?:)?\/\/[^\s"'<>]+/gi;
/** More would be a file, not something to read. */
export const MAX_LINKS = 200;

const entities: Record<string, string> = { amp: '&', quot: '"', lt: '<', gt: '>', '#39': "'", '#x27': "'" };
const unescape = (text: string): string =>
  text.replace(/&(amp|quot|lt|gt|#39|#x27);/gi, (_, name: string) => entities[name.toLowerCase()]!);

export function extractLinks(text: string): ExtractedLink[] {
  const found: ExtractedLink[] = [];
  const add = (link: string, from: ExtractedLink['from']): void => {
    if (link !== '' && found.length < MAX_LINKS && !found.some((f) => f.link === link))
      found.push({ link, from });
  };
  for (const m of text.matchAll(TAG))
    add(unescape((m[2] ?? m[3] ?? m[4] ?? '').trim()), m[1]!.toLowerCase() as ExtractedLink['from']);
  if (found.length > 0) return found;
  for (const line of text.split(/\r?\n/)) {
    const trimmed = line.trim();
    // A whole line that begins with an address, or a host: placeholders with spaces or <> in them belong to it.
    if (/^(?:https?:)?\/\/\S/i.test(trimmed) || /^[a-z0-9-]+(\.[a-z0-9-]+)+[/?]/i.test(trimmed))
      add(trimmed, 'text');
    else for (const m of trimmed.matchAll(PLAIN)) add(m[0].replace(/[.,;)]+$/, ''), 'text');
  }
  return found;
}
