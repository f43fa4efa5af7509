import { readdirSync, readFileSync } from 'node:fs';
import { expect, it } from '@jest/globals';
import { guideBlocks } from './guideBlocks.ts';

it('reads headings, paragraphs, lists, and what is marked inside', () => {
  expect(guideBlocks('# A\n\nOne **two** `{x}`.\n\n- a\n- _b_ c_d\n')).toEqual([
    { kind: 'h1', lines: [[{ kind: 'text', text: 'A' }]] },
    {
      kind: 'p',
      lines: [
        [
          { kind: 'text', text: 'One ' },
          { kind: 'strong', text: 'two' },
          { kind: 'text', text: ' ' },
          { kind: 'code', text: '{x}' },
          { kind: 'text', text: '.' },
        ],
      ],
    },
    {
      kind: 'ul',
      lines: [
        [{ kind: 'text', text: 'a' }],
        [
          { kind: 'em', text: 'b' },
          { kind: 'text', text: ' c_d' },
        ],
      ],
    },
  ]);
});

it('every guide page is written in no more than that', () => {
  const pages = readdirSync('docs/guide').filter((f) => f.endsWith('.md'));
  expect(pages.length).toBeGreaterThan(6);
  for (const page of pages) {
    const blocks = guideBlocks(readFileSync(`docs/guide/${page}`, 'utf8'));
    expect([page, blocks[0]!.kind, blocks.length > 2]).toEqual([page, 'h1', true]);
    const text = blocks.flatMap((b) => b.lines.flat()).filter((s) => s.kind === 'text');
    expect([page, text.filter((s) => /\*\*|^\s*#|^\d+\. |\]\(|^> /m.test(s.text))]).toEqual([page, []]);
  }
});
