import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { applyAllFixes, checkLink } from './checks.ts';
import { linkParameters } from './compose.ts';
import { applyFix, findingCodes, type LinkContext } from './finding.ts';

const offer: LinkContext = { expander: 'we', place: 'visit', needs: 'click_id', clickIdParameter: 'aff_ref' };
const postback: LinkContext = { expander: 'we', place: 'conversion', needs: 'source_click_id' };
const handed: LinkContext = {
  expander: 'they',
  place: 'conversion',
  shape: '#x#',
  theirs: { click_id: '#ref#', payout: '#amt#' },
};
const codes = (link: string, context: LinkContext): string[] => checkLink(link, context).map((f) => f.code);

describe('links that we expand', () => {
  it.each([
    ['https://o.example/?a={click_id}', []],
    ['https://o.example/?a=1', ['no_click_id']],
    ['https://o.example/?a={clickid}', ['unknown_token', 'looks_like_click_id?', 'no_click_id']],
    ['https://o.example/?a={click_id}&z=[zone]', ['foreign_macro']],
    ['https://o.example/?a={ click_id }', ['space_in_token', 'no_click_id']],
    ['https://o.example/?a={click_id}&b={two words}', ['bad_braces']],
    ['https://o.example/?a={click_id}&a=2', ['parameter_twice']],
    ['https://o.example/?a={click_id}&b={click_id}', ['click_id_twice']],
    ['https://o.example/?a={click_id}&b=2 ', ['white_space']],
    ['https://o.example/?a=%20{click_id}', ['white_space']],
    ['https://{country}.example/?a={click_id}', ['host_not_literal']],
    ['https://u:p@o.example/?a={click_id}', ['credentials']],
    ['ftp://o.example/?a={click_id}', ['not_http']],
    ['o.example?a={click_id}', ['not_absolute']],
    ['https://o.example/?a={click_id}&p={payout}', ['unknown_token']],
    ['https://o.example/?a=%7Bclick_id%7D', ['encoded_placeholder', 'no_click_id']],
    ['https://o.example/?a={click_id}?b=2', ['second_question_mark']],
    ['https://o.example/?a={click_id}&&b=2', ['empty_parameter']],
    ['https://o.example/?a={click_id}&b', ['missing_equals']],
    ['https://o.example/#top?a={click_id}', ['fragment_before_query']],
    ['https://o.example/{+sub_site}/?a={click_id}', ['unencoded_value']],
    ['https://o.example/?a={click_id}&u={+sub_site}', []],
    ['https://o.example/?aff_ref=PUT_ID_HERE', ['sample_value', 'no_click_id']],
    ['https://o.example/?aff_ref=902', ['click_id_place_taken', 'no_click_id']],
    ['https://o.example/?subid=', ['looks_like_click_id', 'no_click_id']],
    ['https://o.example/?pub=902&k=CLICK_ID', ['looks_like_click_id', 'no_click_id']],
    ['https://o.example/?a={click_id}}', ['bad_braces']],
    ['https://o.example/?a={click_id}&b=}', ['bad_braces']],
    ['https://o.example/?a={click_id:10}', ['cut_token', 'no_click_id']],
    ['https://o.example/?a={click_id:26}', []],
    ['https://o.example/{?click_id,country}', []],
    ['https://o.example/?a=1{&click_id,country}', []],
    ['https://o.example/?a={click_id}{&country}', []],
    ['https://o.example/?a={click_id}&country=NL{&country}', ['parameter_twice']],
    [`https://o.example/?a={click_id}&b=${'x'.repeat(2040)}`, ['too_long']],
  ])('%s: %j', (link, wanted) => expect(codes(link, offer)).toEqual(wanted.filter((c) => !c.endsWith('?'))));

  it('knows our own domains, and a hop that is less secure than the one before', () => {
    const link = 'http://t.example/v/k?a={click_id}';
    expect(codes(link, { ...offer, ownOrigins: ['http://t.example'], afterHttps: true })).toEqual([
      'own_domain',
      'http_after_https',
    ]);
  });
  it.each(['http://go.kits.example/v/k', 'https://GO.kits.example:443/v/k', 'https://go.kits.example?a=1'])(
    '%s leads to a tracking domain of ours, however it is written',
    (link) =>
      expect(codes(link, { ...offer, ownOrigins: ['', 'https://go.kits.example'] })).toContain('own_domain'),
  );
  it.each(['https://go.kits.example:8443/', 'https://go.kits.example.evil.example/'])('%s does not', (link) =>
    expect(codes(link, { ...offer, ownOrigins: ['https://go.kits.example'] })).not.toContain('own_domain'),
  );
  it('misses the source’s click ID in a postback to it', () => {
    expect(codes('https://s.example/?u={click_id}', postback)).toEqual(['no_source_click_id']);
    expect(codes('https://s.example/?u={source_click_id}&p={payout}', postback)).toEqual([]);
  });
  it('encodes a token twice where it stands in a nested address', () => {
    const link = 'https://o.example/?aff_ref={click_id}&u=https%3A%2F%2Fx.example%2F%3Fs%3D%7Bsub_site%7D';
    expect(applyAllFixes(link, offer)).toBe(
      'https://o.example/?aff_ref={click_id}&u=https%3A%2F%2Fx.example%2F%3Fs%3D{sub_site_enc}',
    );
  });
});

describe('links that they expand', () => {
  it.each([
    ['https://t.example/in/k?click_id=#ref#&payout=#amt#', []],
    ['https://t.example/in/k?click_id={click_id}', ['our_token']],
    ['https://t.example/in/k?click_id=[ref]', ['wrong_style']],
    ['https://t.example/in/k?click_id=# ref #', ['space_in_token']],
    ['https://t.example/in/k?click_id=#ref#%20&payout=#amt#', ['white_space']],
    ['https://t.example/in/k?click_id=%23ref%23', ['encoded_placeholder']],
  ])('%s: %j', (link, wanted) => expect(codes(link, handed)).toEqual(wanted));

  it('takes braces for theirs where that is their shape, but for names that only we have', () => {
    const braces: LinkContext = { expander: 'they', place: 'visit', shape: '{x}' };
    expect(codes('https://t.example/v/k?c={click_id}', braces)).toEqual([]);
    expect(codes('https://t.example/v/k?c={source_click_id}', braces)).toEqual(['our_token']);
  });
  it('mends with their own macro', () => {
    expect(applyAllFixes('https://t.example/in/k?click_id={click_id}&payout=[amt]', handed)).toBe(
      'https://t.example/in/k?click_id=#ref#&payout=#amt#',
    );
  });
});

describe('fixes', () => {
  it.each([
    ['o.example/x?aff_ref=902', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x?aff_ref={clickid}', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x#top?b=1', 'https://o.example/x?b=1&aff_ref={click_id}#top'],
    ['https://o.example/x?aff_ref{click_id}', 'https://o.example/x?aff_ref={click_id}'],
    ['https://o.example/x?a=1&a=1&aff_ref={click_id}', 'https://o.example/x?a=1&aff_ref={click_id}'],
    [
      'https://o.example/x?aff_ref= { click_id } &t=two words',
      'https://o.example/x?aff_ref={click_id}&t=two%20words',
    ],
    ['https://o.example/{+country}?aff_ref={click_id}', 'https://o.example/{country}?aff_ref={click_id}'],
  ])('%s becomes %s', (link, wanted) => expect(applyAllFixes(link, offer)).toBe(wanted));

  const piece = fc.constantFrom(
    ...[
      'a=1',
      'a=1',
      'b',
      'aff_ref=',
      'aff_ref=902',
      'sub={click_id}',
      'x={clickid}',
      'y={ click_id }',
      '&',
      '?',
      ' ',
    ],
    ...[
      'c=%7Bclick_id%7D',
      'z=[zone]',
      'm=#amt#',
      'k={+sub_site}',
      'n={two words}',
      'subid=CLICK_ID',
      '%20{country}',
    ],
    ...[
      'u=https%3A%2F%2Fx.example%3Fs%3D%7Bsub_site%7D',
      '#top',
      'p={source_click_id}',
      'q=# ref #',
      'r=%23ref%23',
      'é={',
    ],
  );
  const start = fc.constantFrom(
    'https://o.example/x',
    'o.example',
    '//o.example/',
    'http://t.example/{+city}',
    'x:y',
    '',
  );
  const link = fc
    .tuple(
      start,
      fc.constantFrom('?', '#', '/', ''),
      fc.array(piece, { maxLength: 7 }),
      fc.constantFrom('&', '&&', '?', ''),
    )
    .map(([head, mark, pieces, joint]) => head + mark + pieces.join(joint));

  it.each([
    ['we, a visit', offer],
    ['we, a conversion', postback],
    ['they', handed],
  ])('take their finding away for good, and change nothing else (%s)', (_, context) => {
    let fixed = 0;
    const codesFixed = new Set<string>();
    fc.assert(
      fc.property(link, (text) => {
        for (const f of checkLink(text, context)) {
          if (!f.fix) continue;
          const mended = applyFix(text, f);
          expect(mended.slice(0, f.start)).toBe(text.slice(0, f.start));
          expect(mended.slice(f.start + f.fix.text.length)).toBe(text.slice(f.end));
          const again = checkLink(mended, context).filter((g) => g.code === f.code);
          expect(again.map((g) => `${g.start} ${g.sentence}`)).not.toContain(`${f.start} ${f.sentence}`);
          fixed += 1;
          codesFixed.add(f.code);
        }
      }),
      { numRuns: 600 },
    );
    expect(fixed).toBeGreaterThan(100);
    expect(codesFixed.size).toBeGreaterThan(4);
  });
  it('all together leave nothing that could still be mended', () => {
    fc.assert(
      fc.property(link, (text) => {
        const mended = applyAllFixes(text, offer);
        expect(checkLink(mended, offer).filter((f) => f.fix)).toEqual([]);
        expect(applyAllFixes(mended, offer)).toBe(mended);
      }),
      { numRuns: 600 },
    );
  });
  it('have places inside the link, and codes from the list', () => {
    fc.assert(
      fc.property(link, (text) => {
        for (const f of [...checkLink(text, offer), ...checkLink(text, handed)]) {
          expect(findingCodes).toContain(f.code);
          expect(f.start).toBeLessThanOrEqual(f.end);
          expect(f.end).toBeLessThanOrEqual(text.length);
        }
      }),
    );
    expect(linkParameters('https://o.example/?a=1')).toHaveLength(1);
  });
});
