/** The little of Markdown that the guide is written in: headings, paragraphs, lists; bold, emphasis and code inside. */
export interface Span {
  kind: 'text' | 'strong' | 'em' | 'code';
  text: string;
}
export interface Block {
  kind: 'h1' | 'h2' | 'p' | 'ul';
  /** One for a heading or paragraph, one for each item of a list. */
  lines: Span[][];
}

export function guideBlocks(markdown: string): Block[] {
  const blocks: Block[] = [];
  for (const part of markdown.split(/\n\s*\n/)) {
    const text = part.trim();
    if (text === '') continue;
    const heading = /^(##?) (.+)$/s.exec(text);
    if (heading) blocks.push({ kind: heading[1] === '#' ? 'h1' : 'h2', lines: [spans(heading[2]!)] });
    else if (text.startsWith('- '))
      blocks.push({
        kind: 'ul',
        lines: text
          .slice(2)
          .split(/\n- /)
          .map((item) => spans(item)),
      });
    else blocks.push({ kind: 'p', lines: [spans(text)] });
  }
  return blocks;
}

function spans(text: string): Span[] {
  const found: Span[] = [];
  let at = 0;
  for (const m of text.matchAll(/\*\*([^*]+)\*\*|(?<!\w)_([^_]+)_(?!\w)|`([^`]+)`/g)) {
    if (m.index > at) found.push({ kind: 'text', text: text.slice(at, m.index) });
    const kind = m[1] !== undefined ? 'strong' : m[2] !== undefined ? 'em' : 'code';
    found.push({ kind, text: m[1] ?? m[2] ?? m[3]! });
    at = m.index + m[0].length;
  }
  if (at < text.length) found.push({ kind: 'text', text: text.slice(at) });
  return found;
}
