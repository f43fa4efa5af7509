/**
 * Templates expanded a second: compiled once and expanded (ours), beside a conforming library that parses each time. The
 * same templates and values, both results compared before anything is measured.
 *
 * What would make it lie: templates without expressions, which no parser slows down; values that need no encoding (these
 * do); results that differ, or that nobody reads. Each round measures both, one after the other, and the medians are compared.
 */
import { StdUriTemplate } from '@std-uritemplate/std-uritemplate';
import { compileTemplate, expandTemplate } from '@tracheon/core/tokens';
import { atLeast, finish, round, secondsOr } from './run.ts';

const templates = [
  'https://go.larkspur.example/o/4471?aff_ref={click_id}&site={sub_site}&kw={sub_kw}',
  'https://shop.example/{country}/{offer_id}{?click_id,language,device}',
  'https://src.example/p?uid={source_click_id}&sum={payout}&cur={payout_currency}&t={visit_unix}',
  'https://wrap.example/r?to={+sub_page}&c={click_id:12}',
];
const values: Record<string, string> = {
  click_id: '01J9ZK3V5T8Q2W4E6R8T0Y1M3P',
  sub_site: 'kiosk-nord.example/über uns?a=1&b=2',
  sub_kw: 'terrarium kit ü 50 % off',
  country: 'NL',
  offer_id: '01J9ZK3V5T8Q2W4E6R8T0Y1M3Q',
  language: 'nl',
  device: 'phone',
  source_click_id: 'mh-1/+=',
  payout: '18.00',
  payout_currency: 'EUR',
  visit_unix: '1764072943',
  sub_page: 'https://inner.example/x?y=z',
};
const lookUp = (name: string): string | undefined => (Object.hasOwn(values, name) ? values[name] : undefined);
const compiled = templates.map(compileTemplate);
for (const [i, template] of templates.entries()) {
  const [ours, theirs] = [expandTemplate(compiled[i]!, lookUp), StdUriTemplate.expand(template, values)];
  if (ours !== theirs) throw new Error(`${template} gives ${ours} and ${theirs}`);
}

let sink = 0;
function perSecond(expand: (i: number) => string, ms: number): number {
  const end = performance.now() + ms;
  let count = 0;
  const began = performance.now();
  while (performance.now() < end)
    for (let i = 0; i < 400; i++, count++) {
      const text = expand(i % templates.length);
      // Read, so that what the engine has only joined in name is put together.
      sink += text.charCodeAt(text.length - 1);
    }
  return count / ((performance.now() - began) / 1000);
}
const ours = (i: number): string => expandTemplate(compiled[i]!, lookUp);
const theirs = (i: number): string => StdUriTemplate.expand(templates[i]!, values);
const roundMs = (secondsOr(10) * 1000) / 10;
perSecond(ours, 300);
perSecond(theirs, 300);
const rounds = Array.from(
  { length: 5 },
  () => [perSecond(ours, roundMs), perSecond(theirs, roundMs)] as const,
);
const median = (list: number[]): number => list.sort((a, b) => a - b)[Math.floor(list.length / 2)]!;
const compiledPerS = Math.round(median(rounds.map((r) => r[0])));
const libraryPerS = Math.round(median(rounds.map((r) => r[1])));
const ratio = round(compiledPerS / libraryPerS);
if (sink === 0) throw new Error('nothing was expanded');
finish({ compiledPerS, libraryPerS, ratio }, [atLeast('ratio', ratio, 6)]);
