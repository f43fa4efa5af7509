/** The guide page of each screen, as it stands in docs/guide; shown by `?`, loaded when it is asked for. */
const pages = import.meta.glob<string>('../../../docs/guide/*.md', { query: '?raw', import: 'default' });

const guides: [RegExp, string][] = [
  [/^\/today/, 'today'],
  [/^\/parts\/network/, 'network'],
  [/^\/parts\/source/, 'source'],
  [/^\/parts\/landing-page/, 'landing-page'],
  [/^\/parts\/offer/, 'offer'],
  [/^\/parts\/event-type/, 'event-type'],
  [/^\/parts\/partner/, 'partner'],
  [/^\/campaigns\/[^/]+\/routing/, 'routing'],
  [/^\/campaigns\/./, 'campaign'],
  [/^\/campaigns/, 'campaigns'],
  [/^\/conversions/, 'conversions'],
  [/^\/numbers\/cut/, 'cut-list'],
  [/^\/numbers/, 'numbers'],
  [/^\/money\/cost/, 'cost'],
  [/^\/money\/feeds/, 'feeds'],
  [/^\/money\/rates/, 'rates'],
  [/^\/money\/billing/, 'billing'],
  [/^\/money/, 'statements'],
  [/^\/set-up/, 'set-up'],
  [/^\/try\/link-reader/, 'link-reader'],
  [/^\/try\/link-builder/, 'link-builder'],
  [/^\/watches\/signals/, 'signal-watches'],
  [/^\/watches\/delivery/, 'delivery'],
  [/^\/watches/, 'watches'],
  [/^\/settings/, 'desk'],
];

/** Empty for a screen that needs none. */
export async function guideOf(path: string): Promise<string> {
  const page = guides.find(([at]) => at.test(path))?.[1];
  return page ? ((await pages[`../../../docs/guide/${page}.md`]?.()) ?? '') : '';
}
