/** Checks of what stands in braces and other placeholder shapes: whose it is, and whether somebody fills it. */
import { macroStyles } from '../contract/primitives.ts';
import {
  compileTemplate,
  findMacros,
  inStyle,
  isKnownToken,
  macroName,
  nearestToken,
  type Expression,
} from '../tokens/index.ts';
import { CLICK_ID_LENGTH, linkParameters, querySpan } from './compose.ts';
import type { Finding, LinkContext } from './finding.ts';
import { decodePercent } from './query.ts';

/** Links that *we* expand. */
export function checkTokens(link: string, context: LinkContext): Finding[] {
  const { place } = context;
  const template = compileTemplate(link);
  const found: Finding[] = [];
  for (const part of template.parts)
    if (typeof part !== 'string')
      found.push(...checkExpression(link, part, context), ...checkUnencoded(link, part));
  for (const problem of template.problems) {
    const inner = /^\{\s*([a-z][a-z0-9_]*)\s*\}$/.exec(problem.text)?.[1];
    const known = inner !== undefined && isKnownToken(inner, place);
    if (problem.text === '}') {
      if (!isInMacro(link, problem.start)) found.push(strayBrace(problem.start));
      continue;
    }
    found.push({
      code: known ? 'space_in_token' : 'bad_braces',
      weight: 'stop',
      start: problem.start,
      end: problem.end,
      sentence: known
        ? 'A space inside the braces: Tracheon would not fill this token.'
        : 'There is no token inside these braces.',
      ...(known ? { fix: { text: `{${inner}}`, words: 'Remove the space' } } : {}),
    });
  }
  return [...found, ...checkForeign(link, context), ...checkEncoded(link, context)];
}

const isInMacro = (link: string, at: number): boolean =>
  findMacros(link).some((m) => m.start <= at && at < m.end);
const strayBrace = (at: number): Finding => ({
  code: 'bad_braces',
  weight: 'stop',
  start: at,
  end: at + 1,
  sentence: 'This brace closes no token.',
  fix: { text: '', words: 'Remove the brace' },
});

/** Tokens that are IDs: a part of one finds nothing. */
const WHOLE_ONLY = /^(?:source_)?click_id(?:_enc)?$/;

function checkExpression(link: string, part: Expression, { place }: LinkContext): Finding[] {
  const found: Finding[] = [];
  for (const { name, prefix } of part.variables) {
    if (WHOLE_ONLY.test(name) && prefix > 0 && prefix < CLICK_ID_LENGTH)
      found.push({
        code: 'cut_token',
        weight: 'stop',
        start: part.start,
        end: part.end,
        sentence: `{${name}:${prefix}} sends only the first ${prefix} characters. Nobody can find the visit by a part of its ID.`,
        fix: {
          text: link.slice(part.start, part.end).replace(`${name}:${prefix}`, name),
          words: 'Send the whole ID',
        },
      });
    if (isKnownToken(name, place)) continue;
    const near = nearestToken(name, place);
    found.push({
      code: 'unknown_token',
      weight: 'stop',
      start: part.start,
      end: part.end,
      sentence: `{${name}} isn’t one of our tokens${near ? `; did you mean {${near}}?` : '; nothing will replace it here.'}`,
      ...(near ? { fix: { text: withName(link, part, name, near), words: `Write {${near}}` } } : {}),
    });
  }
  return found;
}

/** The expression with one of its names written otherwise; a name that is part of a longer one stays. */
function withName(link: string, part: Expression, name: string, near: string): string {
  const escaped = name.replace(/[.%]/g, '\\$&');
  return link
    .slice(part.start, part.end)
    .replace(new RegExp(`(?<![A-Za-z0-9_.%])${escaped}(?![A-Za-z0-9_.%])`), () => near);
}

/** `{+x}` lets a visitor's value bring `/`, `?` and `&` along: harmless inside a query value that is a nested address only. */
function checkUnencoded(link: string, part: Expression): Finding[] {
  if (part.operator !== '+') return [];
  const query = querySpan(link);
  if (query !== null && part.start >= query.start && part.end <= query.end) return [];
  return [
    {
      code: 'unencoded_value',
      weight: 'warn',
      start: part.start,
      end: part.end,
      sentence: 'A value from the visitor would appear here unencoded and could change the URL.',
      fix: { text: `{${link.slice(part.start + 2, part.end)}`, words: 'Encode it' },
    },
  ];
}

function checkForeign(link: string, { place }: LinkContext): Finding[] {
  return findMacros(link)
    .filter((m) => m.shape !== '{x}')
    .map((m) => {
      const name = macroName(m).toLowerCase();
      return {
        code: 'foreign_macro' as const,
        weight: 'warn' as const,
        start: m.start,
        end: m.end,
        sentence: `${m.text} is a partner’s macro; nothing will replace it here.`,
        ...(isKnownToken(name, place) ? { fix: { text: `{${name}}`, words: `Write {${name}}` } } : {}),
      };
    });
}

/** Links that *they* expand: their macros stay raw; a token of ours reaches them as plain text. */
export function checkTheirs(link: string, context: LinkContext): Finding[] {
  const { shape, place, theirs = {} } = context;
  const found: Finding[] = [];
  for (const m of findMacros(link)) {
    const name = macroName(m);
    const at = { start: m.start, end: m.end };
    const bare = m.text.replace(/\s+/g, '');
    // In a partner's own shape it may well be theirs, but for the names that only we have.
    const ours =
      m.shape === '{x}' &&
      isKnownToken(name, place) &&
      (shape !== '{x}' || /^(source_click_id|sub_)/.test(name));
    if (ours) {
      const macro = theirs[name];
      found.push({
        code: 'our_token',
        weight: 'warn',
        ...at,
        sentence: `${m.text} is one of our tokens, but the partner fills this link. The partner would send it unchanged.`,
        ...(macro && macro !== m.text ? { fix: { text: macro, words: `Write ${macro}` } } : {}),
      });
    } else if (bare !== m.text)
      found.push({
        code: 'space_in_token',
        weight: 'stop',
        ...at,
        sentence: `A space inside ${m.text}: the partner’s server would not fill it.`,
        fix: { text: bare, words: 'Remove the space' },
      });
    else if (shape !== undefined && m.shape !== shape)
      found.push({
        code: 'wrong_style',
        weight: 'warn',
        ...at,
        sentence: `${m.text} is not in this partner’s macro style, ${shape}.`,
        fix: { text: inStyle(shape, name), words: `Write ${inStyle(shape, name)}` },
      });
  }
  return [...found, ...checkEncoded(link, context)];
}

const NAME = '[A-Za-z][A-Za-z0-9_.\\-]{0,63}';
const encodedMark = (mark: string): string =>
  [...mark]
    .map((c) => `%${c.charCodeAt(0).toString(16)}`)
    .join('')
    .replace(/[a-f]/g, (c) => `[${c}${c.toUpperCase()}]`);
/** A placeholder whose marks are percent-encoded, once; `__x__` has no mark that could be. */
const encodedMacro = new RegExp(
  macroStyles
    .filter((s) => s !== '__x__')
    .sort((a, b) => b.length - a.length)
    .map((s) => {
      const [open = '', close = ''] = s.split('x');
      return `${encodedMark(open)}${NAME}${encodedMark(close)}`;
    })
    .join('|'),
  'g',
);

function checkEncoded(link: string, { expander, place, shape }: LinkContext): Finding[] {
  const found: Finding[] = [];
  for (const match of link.matchAll(encodedMacro)) {
    const plain = decodePercent(match[0]);
    const [macro] = findMacros(plain);
    if (!macro) continue;
    const name = macroName(macro);
    const ours = expander === 'we' && macro.shape === '{x}' && isKnownToken(name, place);
    if (expander === 'they' && shape !== undefined && macro.shape !== shape) continue;
    if (expander === 'we' && !ours) continue;
    // Inside a nested address, which is encoded as a whole, our own token is encoded once more.
    const nested = linkParameters(link).some(
      (p) =>
        p.start <= match.index &&
        match.index < p.end &&
        /^https?(:|%3a)/i.test(p.value) &&
        p.value.includes('%'),
    );
    const text = ours && nested ? `{${name}_enc}` : plain;
    found.push({
      code: 'encoded_placeholder',
      weight: 'warn',
      start: match.index,
      end: match.index + match[0].length,
      sentence: `${match[0]} is an encoded macro; no server will recognise it.`,
      ...(expander === 'they' && nested ? {} : { fix: { text, words: `Write ${text}` } }),
    });
  }
  return found;
}
