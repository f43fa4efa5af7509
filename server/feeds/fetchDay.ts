/**
 * A day's pages as the provider gives them, one after the other. A report that is prepared on request is ordered first; its
 * ID is kept, so that who comes back later finds it. What goes wrong is a FeedProblem or a FeedLater.
 */
import { parse as parseCsv } from 'csv-parse/sync';
import { setTimeout as pause } from 'node:timers/promises';
import { DAY_MARK, MAX_FEED_ROWS, REPORT_MARK, type FeedInput } from '@tracheon/core/contract';
import { FeedProblem, pageOf, readJson, textAt, type FeedPage } from '@tracheon/core/feeds';
import { FeedLater, ProviderAccess, type Outgoing } from './providerAccess.ts';

const MAX_PAGES = 5000;
const MAX_REPORT_ID = 200;
const FIRST_LOOK_MS = 250;
const LONGEST_LOOK_MS = 5000;

/** The provider still works on the report: nothing has failed. */
export class ReportPending extends FeedLater {}

export interface Ordered {
  /** Empty: it is not ordered yet. */
  reportId: string;
  keep: (reportId: string) => Promise<void>;
  /** How long one waits for it here; later than that is later. */
  patienceMs: number;
}
export interface Fetching {
  out: Outgoing;
  signal: AbortSignal;
  ordered: Ordered;
}

/** Throws FeedProblem, FeedLater, or what `signal` was aborted with. */
export async function* fetchDay(
  feed: FeedInput,
  secret: string,
  day: string,
  { out, signal, ordered }: Fetching,
): AsyncGenerator<FeedPage> {
  const access = new ProviderAccess(feed, secret, out, signal);
  try {
    const asked = new URL(feed.url.replaceAll(DAY_MARK, day));
    const first = feed.report === 'prepared' ? await prepared(feed, access, asked, ordered, signal) : asked;
    let url: URL | null = first;
    let rows = 0;
    for (let n = 0; url !== null; n++) {
      if (n >= MAX_PAGES)
        throw new FeedProblem(`The answer has more than ${MAX_PAGES} pages. Its paging may not end.`);
      const next = new URL(url);
      if (feed.paging === 'page') next.searchParams.set(feed.pageParameter, String(feed.firstPage + n));
      const page = pageOf(feed, documentOf(feed, await access.ask(next)));
      rows += page.rows.length;
      if (rows > MAX_FEED_ROWS)
        throw new FeedProblem(`A day has more than ${MAX_FEED_ROWS} rows. Tracheon takes no more.`);
      yield page;
      url = nextOf(feed, page, url, first);
    }
  } finally {
    await access.close();
  }
}

/** Where the report is, once it is ready. */
async function prepared(
  feed: FeedInput,
  access: ProviderAccess,
  order: URL,
  ordered: Ordered,
  signal: AbortSignal,
): Promise<URL> {
  let { reportId } = ordered;
  if (reportId === '') {
    const answer = readJson(await access.ask(order, feed.reportMethod === 'post' ? 'POST' : 'GET'));
    reportId = textAt(answer, feed.reportAt)?.slice(0, MAX_REPORT_ID) ?? '';
    if (reportId === '')
      throw new FeedProblem(`The answer to the order has no report ID in “${feed.reportAt}”.`);
    await ordered.keep(reportId);
  }
  const of = (address: string): URL => new URL(address.replaceAll(REPORT_MARK, encodeURIComponent(reportId)));
  const end = Date.now() + ordered.patienceMs;
  for (let wait = FIRST_LOOK_MS; ; wait = Math.min(wait * 2, LONGEST_LOOK_MS)) {
    const status = textAt(readJson(await access.ask(of(feed.statusUrl))), feed.readyAt);
    if (status === feed.readyWord) return of(feed.fileUrl);
    if (Date.now() + wait > end)
      throw new ReportPending(
        `The provider still prepares the report: its state is “${(status ?? '').slice(0, 40)}”.`,
        null,
      );
    await pause(wait, undefined, { signal });
  }
}

function nextOf(feed: FeedInput, page: FeedPage, now: URL, first: URL): URL | null {
  if (feed.paging === 'none') return null;
  if (feed.paging === 'page') return page.rows.length === 0 ? null : now;
  if (page.next === null) return null;
  const next = URL.canParse(page.next, now) ? new URL(page.next, now) : null;
  // The key goes with it.
  if (next?.origin !== first.origin)
    throw new FeedProblem(
      'The next page is at another address than the first one. Tracheon doesn’t send the key there.',
    );
  if (next.href === now.href)
    throw new FeedProblem('A page names itself as the next one. The paging does not end.');
  return next;
}

function documentOf(feed: FeedInput, text: string): unknown {
  if (feed.format === 'json') return readJson(text);
  try {
    return parseCsv(text, {
      columns: true,
      bom: true,
      trim: true,
      skip_empty_lines: true,
      relax_column_count: true,
    });
  } catch {
    throw new FeedProblem('The answer is not valid CSV.');
  }
}
