/**
 * Checks of a link while it is typed: each finding has a code, its place, one sentence why, and a fix where
 * one is certain. A finding of weight `stop` keeps the record from being saved; `warn` is said and let through.
 */
import { compileTemplate, findMacros, isKnownToken, nearestToken, type TokenPlace } from '../tokens/index.ts';
import { carriesClickId, linkParameters } from './compose.ts';

export type Finding = {
  code: string;
  weight: 'stop' | 'warn';
  start: number;
  end: number;
  sentence: string;
  fix?: { text: string; words: string };
};

export interface LinkContext {
  /** Who replaces what stands in braces: *we* at a visit or conversion, or *they*. */
  expander: 'we' | 'they';
  place: TokenPlace;
  /** What has to travel in this link, by the token's name; its lack is said. */
  needs?: string;
  ownOrigin?: string;
}

/** More than this is cut by some browsers and ad networks. */
export const LONG_LINK = 2048;

export function checkLink(link: string, context: LinkContext): Finding[] {
  const findings: Finding[] = [...checkAddress(link, context)];
  if (context.expander === 'we') findings.push(...checkTokens(link, context), ...checkForeign(link, context));
  findings.push(...checkParameters(link));
  if (context.needs === 'click_id' && !carriesClickId(link))
    findings.push(
      whole(
        link,
        'no_click_id',
        'warn',
        'Our click ID does not go out with this link: no conversion can come back to its visit.',
      ),
    );
  if (context.needs === 'source_click_id' && !/\{[^{}]*source_click_id[^{}]*\}/.test(link))
    findings.push(
      whole(
        link,
        'no_source_click_id',
        'warn',
        "The source's own click ID is not in this link: the source cannot tell which click it is told of.",
      ),
    );
  return findings;
}

const whole = (link: string, code: string, weight: Finding['weight'], sentence: string): Finding => ({
  code,
  weight,
  start: 0,
  end: link.length,
  sentence,
});

function checkAddress(link: string, context: LinkContext): Finding[] {
  const origin = /^([a-z][a-z0-9+.-]*):\/\/([^/?#]*)/i.exec(link);
  if (origin === null)
    return [whole(link, 'not_absolute', 'stop', 'A whole address is needed, from https:// on.')];
  const [head, scheme = '', host = ''] = origin;
  const at = { start: 0, end: head.length };
  const found: Finding[] = [];
  if (!/^https?$/i.test(scheme))
    found.push({
      code: 'not_http',
      weight: 'stop',
      ...at,
      sentence: `Visitors can be sent to http and https only, not to ${scheme}:.`,
    });
  if (host.includes('@'))
    found.push({
      code: 'credentials',
      weight: 'stop',
      ...at,
      sentence: 'A user name or password in a link is shown to every visitor; take it out.',
    });
  else if (/[{}]/.test(host) || host === '' || !validHost(host))
    found.push({
      code: 'host_not_literal',
      weight: 'stop',
      ...at,
      sentence: 'The host must stand in the link as it is, without tokens.',
    });
  if (
    context.ownOrigin !== undefined &&
    context.ownOrigin !== '' &&
    head.toLowerCase() === context.ownOrigin.toLowerCase()
  )
    found.push({
      code: 'own_domain',
      weight: 'stop',
      ...at,
      sentence: 'This leads back into our own tracking domain: the visitor would go round in circles.',
    });
  if (link.length > LONG_LINK)
    found.push(
      whole(
        link,
        'too_long',
        'warn',
        `${link.length} characters: some browsers and partners cut a link at ${LONG_LINK}.`,
      ),
    );
  return found;
}

function validHost(host: string): boolean {
  try {
    return new URL(`http://${host}/`).hostname !== '';
  } catch {
    return false;
  }
}

function checkTokens(link: string, { place }: LinkContext): Finding[] {
  const template = compileTemplate(link);
  const found: Finding[] = [];
  for (const part of template.parts) {
    if (typeof part === 'string') continue;
    const where = { start: part.start, end: part.end };
    for (const { name } of part.variables) {
      if (isKnownToken(name, place)) continue;
      const near = nearestToken(name, place);
      found.push({
        code: 'unknown_token',
        weight: 'stop',
        ...where,
        sentence: `{${name}} is no token of ours${near ? `; did you mean {${near}}?` : ', or a macro of the other side: nobody fills it here.'}`,
        ...(near
          ? { fix: { text: link.slice(part.start, part.end).replace(name, near), words: `Write {${near}}` } }
          : {}),
      });
    }
  }
  for (const problem of template.problems) {
    const inner = /^\{\s*([a-z][a-z0-9_]*)\s*\}$/.exec(problem.text)?.[1];
    const known = inner !== undefined && isKnownToken(inner, place);
    found.push({
      code: known ? 'space_in_token' : 'bad_braces',
      weight: 'stop',
      start: problem.start,
      end: problem.end,
      sentence: known
        ? 'White space inside the braces: the token would go out unfilled.'
        : 'These braces hold no token.',
      ...(known ? { fix: { text: `{${inner}}`, words: 'Take the space out' } } : {}),
    });
  }
  return found;
}

function checkForeign(link: string, { place }: LinkContext): Finding[] {
  return findMacros(link)
    .filter((m) => m.shape !== '{x}')
    .map((m) => {
      const name = m.text.replace(/[^A-Za-z0-9_]/g, '').toLowerCase();
      const near = isKnownToken(name, place) ? name : null;
      return {
        code: 'foreign_macro',
        weight: 'warn' as const,
        start: m.start,
        end: m.end,
        sentence: `${m.text} is a macro of the other side: nobody fills it here.`,
        ...(near ? { fix: { text: `{${near}}`, words: `Write {${near}}` } } : {}),
      };
    });
}

function checkParameters(link: string): Finding[] {
  const found: Finding[] = [];
  const seen = new Set<string>();
  for (const p of linkParameters(link)) {
    const where = { start: p.start, end: p.end };
    if (seen.has(p.name))
      found.push({
        code: 'parameter_twice',
        weight: 'warn',
        ...where,
        sentence: `“${p.name}” stands here twice; most servers read only one of them.`,
      });
    seen.add(p.name);
    if (/\s/.test(link.slice(p.start, p.end)) && !/\{[^}]*\s[^}]*\}/.test(link.slice(p.start, p.end)))
      found.push({
        code: 'white_space',
        weight: 'stop',
        ...where,
        sentence: 'White space in or beside a value corrupts it on the way.',
        fix: { text: link.slice(p.start, p.end).replace(/\s+/g, ''), words: 'Take the space out' },
      });
  }
  return found;
}
