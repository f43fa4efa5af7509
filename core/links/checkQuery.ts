/** Checks of how a query is written, and of what stands in its parameters. */
import { findMacros } from '../tokens/index.ts';
import { carriesClickId, linkParameters, querySpan, type LinkParameter } from './compose.ts';
import type { Finding, FindingCode, LinkContext } from './finding.ts';
import { decodePercent } from './query.ts';

export function checkQueryShape(link: string): Finding[] {
  const span = querySpan(link);
  if (span === null) return [];
  const found: Finding[] = [];
  for (let at = link.indexOf('?', span.start); at >= 0 && at < span.end; at = link.indexOf('?', at + 1)) {
    // An expression of ours, such as {?a,b}, has its own.
    if (link[at - 1] === '{') continue;
    const inside = linkParameters(link).find((p) => p.start <= at && at < p.end);
    const nested = inside !== undefined && /^https?:\/\//i.test(inside.value);
    found.push({
      code: 'second_question_mark',
      weight: 'warn',
      start: at,
      end: at + 1,
      sentence: nested
        ? 'A URL inside a parameter must be encoded. Otherwise servers can’t tell which parameters belong to it.'
        : 'A second “?”: servers read everything after it as part of the value before it.',
      ...(nested ? {} : { fix: { text: '&', words: 'Write & instead' } }),
    });
  }
  const query = link.slice(span.start, span.end);
  for (const match of query.matchAll(/&{2,}|^&+/g))
    found.push({
      code: 'empty_parameter',
      weight: 'warn',
      start: span.start + match.index,
      end: span.start + match.index + match[0].length,
      sentence: 'An empty parameter between two “&”. Some servers stop reading there.',
      fix: { text: match.index === 0 ? '' : '&', words: 'Remove the extra &' },
    });
  return found;
}

export function checkParameters(link: string, context: LinkContext): Finding[] {
  const found: Finding[] = [];
  const all = linkParameters(link);
  for (const [i, p] of all.entries()) {
    const first = all.findIndex((q) => q.name === p.name);
    if (first < i && !isSame(all[i - 1], p)) found.push(twice(link, all, first, i));
    else if (first === i - 1) found.push(twice(link, all, first, i));
    found.push(...missingEquals(link, p), ...whiteSpace(link, p), ...clickIdPlace(link, p, context));
  }
  return found;
}

const isSame = (a: LinkParameter | undefined, b: LinkParameter): boolean =>
  a !== undefined && a.name === b.name && a.value === b.value;

const say = (
  p: LinkParameter,
  code: FindingCode,
  weight: Finding['weight'],
  sentence: string,
  fix?: Finding['fix'],
): Finding => ({ code, weight, start: p.start, end: p.end, sentence, ...(fix ? { fix } : {}) });

/** The same pair again is certain to be too many, with all that follow it side by side; another value is not. */
function twice(link: string, all: LinkParameter[], first: number, at: number): Finding {
  const p = all[at]!;
  if (!isSame(all[first], p) || link[p.start - 1] !== '&')
    return say(
      p,
      'parameter_twice',
      'warn',
      `“${p.name}” appears again with “${p.value}”. Most servers read only one of them.`,
    );
  let last = at;
  while (isSame(all[last + 1], p) && all[last + 1]!.start === all[last]!.end + 1) last += 1;
  return {
    ...say(p, 'parameter_twice', 'warn', `“${p.name}” appears twice. Most servers read only one of them.`),
    start: p.start - 1,
    end: all[last]!.end,
    fix: { text: '', words: 'Remove the second one' },
  };
}

function missingEquals(link: string, p: LinkParameter): Finding[] {
  const text = link.slice(p.start, p.end);
  if (text.includes('=') || /^\{[?&]/.test(text)) return [];
  const macro = findMacros(text)[0];
  const stuck = macro !== undefined && macro.start > 0 && macro.end === text.length;
  return [
    say(
      p,
      'missing_equals',
      'warn',
      `“${text}” has no “=”, so it is a name without a value.`,
      stuck
        ? {
            text: `${text.slice(0, macro.start)}=${macro.text}`,
            words: `Write ${text.slice(0, macro.start)}=`,
          }
        : undefined,
    ),
  ];
}

/** Outer white space goes; inside a fixed value it is kept, encoded. Inside a placeholder other checks see it. */
function whiteSpace(link: string, p: LinkParameter): Finding[] {
  const text = link.slice(p.start, p.end);
  const macros = findMacros(text);
  const outside = macros
    .reduceRight((t, m) => t.slice(0, m.start) + t.slice(m.end), text)
    .replace(/\{[^}]*\}/g, '');
  // A space beside a placeholder, also an encoded one, arrives as part of the value.
  const beside = macros.some(
    (m) => /(?:%20|\+)$/.test(text.slice(0, m.start)) || /^(?:%20|\+)/.test(text.slice(m.end)),
  );
  if (!/\s/.test(outside) && !beside) return [];
  let mended = text.replace(/\s*=\s*/, '=').trim();
  for (const m of findMacros(mended).reverse())
    mended =
      mended.slice(0, m.start).replace(/(?:\s|%20|\+)+$/, '') +
      m.text +
      mended.slice(m.end).replace(/^(?:\s|%20|\+)+/, '');
  // What is inside a placeholder has a finding of its own.
  const spans = findMacros(mended);
  mended = mended.replace(/\s/g, (c, at: number) =>
    spans.some((m) => m.start <= at && at < m.end) ? c : encodeURIComponent(c),
  );
  return [
    say(p, 'white_space', 'stop', 'A space in or beside a value corrupts it.', {
      text: mended,
      words: 'Remove the space',
    }),
  ];
}

/** Names under which partners commonly take a sub-ID or click ID; only used to ask, never to decide. */
const SUB_ID_NAME =
  /^(?:aff[_-]?)?(?:sub[_-]?id|sub|s|click[_-]?id|clickid|clk|cid|ref|tid|track(?:ing)?[_-]?id)[_-]?[0-9]?$/i;
const SAMPLE =
  /^(?:|x{2,}|y{2,}|test|example|sample|placeholder|todo|(?:put|insert|paste|your|my|add|replace|enter|fill)[a-z0-9_ .-]*|[a-z0-9_-]*(?:here|goes))$/i;
const isSample = (value: string): boolean => SAMPLE.test(decodePercent(value).trim());
/** CLICK_ID, SUBID, CLICKID: a name in capitals where a value should be. */
const isNameInCapitals = (value: string): boolean => /^[A-Z][A-Z_]*(?:ID|REF)[0-9]?$/.test(value);

/** A parameter that looks like the place for our click ID: by its value, or by its name with nothing certain in it. */
export const isClickIdPlace = (name: string, value: string): boolean =>
  isNameInCapitals(value) || (SUB_ID_NAME.test(name) && (isSample(value) || findMacros(value).length > 0));

function clickIdPlace(link: string, p: LinkParameter, context: LinkContext): Finding[] {
  if (context.needs !== 'click_id' || context.expander !== 'we' || carriesClickId(link)) return [];
  const fix = { text: `${p.name}={click_id}`, words: `Write ${p.name}={click_id}` };
  const isPlaceholder = isSample(p.value) || isNameInCapitals(p.value) || findMacros(p.value).length > 0;
  if (p.name === context.clickIdParameter)
    return isPlaceholder
      ? [
          say(
            p,
            'sample_value',
            'warn',
            p.value === ''
              ? `“${p.name}” is empty. Our click ID belongs here.`
              : `“${p.value}” is a sample value. Our click ID belongs here.`,
            fix,
          ),
        ]
      : [
          say(
            p,
            'click_id_place_taken',
            'warn',
            `“${p.name}” contains “${p.value}”, but this is the network’s click ID parameter.`,
            fix,
          ),
        ];
  if (isPlaceholder && (SUB_ID_NAME.test(p.name) || isNameInCapitals(p.value)))
    return [say(p, 'looks_like_click_id', 'warn', `“${p.name}” looks like the click ID parameter.`, fix)];
  return [];
}
