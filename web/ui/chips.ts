/** A link text cut into what is drawn differently: fixed text, our tokens, their macros. */
import { compileTemplate, findMacros } from '@tracheon/core/tokens';

export interface Piece {
  kind: 'text' | 'ours' | 'theirs' | 'host';
  text: string;
}

/** `{…}` is ours only in links that *we* expand. */
export function cutLink(link: string, expander: 'we' | 'they'): Piece[] {
  const marks: { start: number; end: number; kind: 'ours' | 'theirs' }[] =
    expander === 'they'
      ? findMacros(link).map((m) => ({ start: m.start, end: m.end, kind: 'theirs' }))
      : [
          ...compileTemplate(link).parts.flatMap((p) =>
            typeof p === 'string' ? [] : [{ start: p.start, end: p.end, kind: 'ours' as const }],
          ),
          ...findMacros(link)
            .filter((m) => m.shape !== '{x}')
            .map((m) => ({ start: m.start, end: m.end, kind: 'theirs' as const })),
        ].sort((a, b) => a.start - b.start);
  const pieces: Piece[] = [];
  let at = 0;
  for (const mark of marks) {
    if (mark.start < at) continue;
    if (mark.start > at) pieces.push(...withHost(link.slice(at, mark.start), at === 0));
    pieces.push({ kind: mark.kind, text: link.slice(mark.start, mark.end) });
    at = mark.end;
  }
  if (at < link.length) pieces.push(...withHost(link.slice(at), at === 0));
  return pieces;
}

function withHost(text: string, first: boolean): Piece[] {
  const match = first ? /^(https?:\/\/)([^/?#]+)(.*)$/s.exec(text) : null;
  if (!match) return [{ kind: 'text', text }];
  return (
    [
      { kind: 'text', text: match[1]! },
      { kind: 'host', text: match[2]! },
      { kind: 'text', text: match[3]! },
    ] satisfies Piece[]
  ).filter((p) => p.text !== '');
}
