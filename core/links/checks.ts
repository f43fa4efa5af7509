/**
 * Checks of a link while it is typed (what each code means stands in docs/findings.md). Applying a fix and checking
 * again never gives the same finding, and changes nothing outside the finding's place.
 */
import {
  carriesClickId,
  CLICK_ID_LENGTH,
  fragmentStart,
  isOurs,
  linkParameters,
  querySpan,
  withClickId,
} from './compose.ts';
import { checkParameters, checkQueryShape } from './checkQuery.ts';
import { checkTheirs, checkTokens } from './checkTokens.ts';
import { applyFix, type Finding, type FindingCode, type LinkContext } from './finding.ts';

/** More than this is cut by some browsers and ad networks. */
export const LONG_LINK = 2048;

export function checkLink(link: string, context: LinkContext): Finding[] {
  return [
    ...checkAddress(link, context),
    ...(context.expander === 'we' ? checkTokens(link, context) : checkTheirs(link, context)),
    ...checkQueryShape(link),
    ...checkParameters(link, context),
    ...checkNeeds(link, context),
    ...checkDemands(link, context),
  ];
}

/** All certain fixes, one after the other; what is left has none. Bounded, since each takes one finding away. */
export function applyAllFixes(link: string, context: LinkContext): string {
  let now = link;
  for (let round = 0; round < MAX_FIXES; round++) {
    const next = checkLink(now, context).find((f) => f.fix);
    if (!next) break;
    now = applyFix(now, next);
  }
  return now;
}
const MAX_FIXES = 100;

const whole = (link: string, code: FindingCode, weight: Finding['weight'], sentence: string): Finding => ({
  code,
  weight,
  start: 0,
  end: link.length,
  sentence,
});

function checkNeeds(link: string, { needs, clickIdParameter = '' }: LinkContext): Finding[] {
  if (needs === 'source_click_id' && !/\{[^{}]*source_click_id[^{}]*\}/.test(link))
    return [
      whole(
        link,
        'no_source_click_id',
        'warn',
        "The source's own click ID is not in this link: the source cannot tell which click it is told of.",
      ),
    ];
  if (needs !== 'click_id') return [];
  if (carriesClickId(link)) {
    const carriers = linkParameters(link).filter((p) => carriesClickId(p.value));
    return carriers.slice(1).map(({ start, end, name }) => ({
      code: 'click_id_twice',
      weight: 'warn',
      start,
      end,
      sentence: `Our click ID is in the link twice, as “${carriers[0]!.name}” and “${name}”. One is enough.`,
    }));
  }
  const lack = whole(
    link,
    'no_click_id',
    'warn',
    'This link does not contain our click ID, so conversions can’t be matched to visits.',
  );
  const mended = /^https?:\/\/[^\s/?#{}@]+/i.test(link) ? withClickId(link, clickIdParameter) : link;
  // A place that something else holds has a finding, and a fix, of its own.
  const isTaken = linkParameters(link).some((p) => p.name === clickIdParameter);
  if (mended !== link && !isTaken) lack.fix = { text: mended, words: `Add it as ${clickIdParameter}` };
  return [lack];
}

/** A ULID; one that is cut finds no visit. */

function checkDemands(
  link: string,
  { demanded = [], clickIdLimit = 0, clickIdParameter }: LinkContext,
): Finding[] {
  if (!/^https?:/i.test(link)) return [];
  const there = linkParameters(link);
  const found = demanded
    .filter((d) => !there.some((p) => p.name === d.parameter && p.value !== ''))
    .map((d) =>
      whole(
        link,
        'demanded_missing',
        'warn',
        `This network requires “${d.parameter}” in every link, but it is missing.`,
      ),
    );
  const carrier = there.find((p) => p.name === clickIdParameter && carriesClickId(p.value));
  if (carrier && clickIdLimit > 0 && clickIdLimit < CLICK_ID_LENGTH)
    found.push({
      ...whole(link, 'cut_too_short', 'warn', ''),
      start: carrier.start,
      end: carrier.end,
      sentence: `“${carrier.name}” is limited to ${clickIdLimit} characters. Our click ID has ${CLICK_ID_LENGTH} and would come back cut.`,
    });
  return found;
}

function checkAddress(link: string, context: LinkContext): Finding[] {
  const origin = /^([a-z][a-z0-9+.-]*):\/\/([^/?#]*)/i.exec(link);
  if (origin === null) return [notAbsolute(link)];
  const [head, scheme = '', host = ''] = origin;
  const at = { start: 0, end: head.length };
  const found: Finding[] = [];
  const say = (code: FindingCode, weight: Finding['weight'], sentence: string): void =>
    void found.push({ code, weight, ...at, sentence });
  if (!/^https?$/i.test(scheme))
    say('not_http', 'stop', `Tracheon can redirect visitors to http and https only, not to ${scheme}:.`);
  if (host.includes('@'))
    say('credentials', 'stop', 'Every visitor can see a user name or password in a link. Remove it.');
  else if (/[{}]/.test(host) || host === '' || !validHost(host))
    say('host_not_literal', 'stop', 'The host name can’t contain tokens.');
  if (isOurs(head, context.ownOrigins ?? []))
    say('own_domain', 'stop', 'This link points to our own tracking domain, so the visitor would loop.');
  if (context.afterHttps && /^http$/i.test(scheme))
    say(
      'http_after_https',
      'warn',
      'This link uses http after an https page. Browsers warn and drop the referrer.',
    );
  if (link.length > LONG_LINK)
    found.push(
      whole(
        link,
        'too_long',
        'warn',
        `${link.length} characters. Some browsers and partners cut links at ${LONG_LINK}.`,
      ),
    );
  return [...found, ...checkFragment(link)];
}

function notAbsolute(link: string): Finding {
  const f = whole(link, 'not_absolute', 'stop', 'Enter a full URL that starts with https://.');
  const bare = link.trim().replace(/^\/\//, '');
  // A host name with a dot in it, and nothing before it.
  if (/^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?(?:\.[a-z0-9-]+)*\.[a-z]{2,}(?=[/?#:]|$)/i.test(bare))
    f.fix = { text: `https://${bare}`, words: 'Add https://' };
  return f;
}

function validHost(host: string): boolean {
  try {
    return new URL(`http://${host}/`).hostname !== '';
  } catch {
    return false;
  }
}

/** A query after the fragment is part of the fragment, and never reaches a server (RFC 3986 §3.5). */
function checkFragment(link: string): Finding[] {
  if (querySpan(link) !== null) return [];
  const at = fragmentStart(link);
  const mark = link.indexOf('?', at);
  if (mark < 0) return [];
  const fragment = link.slice(at, mark);
  const f: Finding = {
    code: 'fragment_before_query',
    weight: 'warn',
    start: at,
    end: link.length,
    sentence: 'Browsers don’t send what follows “#”, so no server gets these parameters.',
  };
  // `#/path` and `#!path` are addresses inside a page that may read them itself.
  if (/^#[^/!]*$/.test(fragment) && !link.includes('#', mark))
    f.fix = { text: link.slice(mark) + fragment, words: 'Move the parameters before #' };
  return [f];
}
