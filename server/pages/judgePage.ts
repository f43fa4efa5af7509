/** What stands on a fetched page: its button links, the script, and what would spoil either. */
import { Parser } from 'htmlparser2';
import type { PageCheck, PageTrouble } from '@tracheon/core/contract';
import type { FetchedPage } from './fetchPage.ts';

export interface PageLook {
  landingKey: string;
  buttons: number;
  /** Origins of our tracking domains. */
  ownOrigins: readonly string[];
  /** The click ID with which the page was fetched: in a link it is no baked one. */
  sampleClickId: string;
}

/** Attributes that lead somewhere, whatever the element. */
const LEADING = ['href', 'action', 'formaction', 'data-href', 'data-url', 'onclick'];
const ULID = /\b[0-7][0-9A-HJKMNP-TV-Z]{25}\b/gi;

/** Every text on the page that might hold a button link, and whether our script is there. */
function readPage(html: string, ownOrigins: readonly string[]): { texts: string[]; script: boolean } {
  const texts: string[] = [];
  let script = false;
  let inScript = false;
  const parser = new Parser({
    onopentag(name, attributes) {
      inScript = name === 'script';
      if (inScript && ownOrigins.some((o) => attributes.src === `${o}/page.js`)) script = true;
      for (const key of LEADING) if (attributes[key] !== undefined) texts.push(attributes[key]);
      if (name === 'meta' && /refresh/i.test(attributes['http-equiv'] ?? ''))
        texts.push(attributes.content ?? '');
    },
    // Site builders keep their links in data inside scripts.
    ontext(text) {
      if (inScript) texts.push(text.replaceAll('\\/', '/'));
    },
    onclosetag() {
      inScript = false;
    },
  });
  parser.write(html);
  parser.end();
  return { texts, script };
}

export function judgePage(page: FetchedPage, look: PageLook, at: Date): PageCheck {
  const { texts, script } = readPage(page.html, look.ownOrigins);
  const links = texts.flatMap(buttonLinks);
  const own = links.filter((l) => l.key === look.landingKey);
  const sample = look.sampleClickId.toUpperCase();
  return {
    at: at.toISOString(),
    trouble: page.trouble,
    sentence: sentences[page.trouble](page),
    finalUrl: page.finalUrl,
    status: page.status,
    secure: page.finalUrl.startsWith('https:'),
    tookMs: page.tookMs,
    bytes: page.bytes,
    buttons: Array.from({ length: look.buttons }, (_, i) => {
      const found = own.filter((l) => l.n === i + 1);
      return {
        n: i + 1,
        found: found.length,
        baked: found.some((l) => (l.rest.match(ULID) ?? []).some((id) => id.toUpperCase() !== sample)),
        secure: found.every((l) => l.secure),
      };
    }),
    script,
    strays: [...new Set(links.filter((l) => l.key !== look.landingKey).map((l) => l.address))].slice(0, 20),
  };
}

interface ButtonLink {
  address: string;
  key: string;
  n: number;
  rest: string;
  secure: boolean;
}

/** Addresses of the shape /b/<key>/<n> in a text; without a number it is the first button. */
function buttonLinks(text: string): ButtonLink[] {
  return [
    ...text.matchAll(/(https?:)?\/\/[^\s"'<>/]+\/b\/([a-z0-9]{6,40})(?:\/([1-9]\d?))?([^\s"'<>]*)/gi),
  ].map((m) => ({
    address: m[0].slice(0, 300),
    key: m[2]!,
    n: Number(m[3] ?? '1'),
    rest: m[4] ?? '',
    secure: (m[1] ?? 'https:').toLowerCase() === 'https:',
  }));
}

const sentences: Record<PageTrouble, (page: FetchedPage) => string> = {
  ok: () => '',
  refused: ({ detail }) => `Tracheon can’t check this page: ${detail}.`,
  no_answer: ({ detail }) => `The page does not respond: ${detail}.`,
  too_slow: () => 'The page takes longer than 5 seconds. Visitors don’t wait that long.',
  too_large: () => 'The page is larger than 2 MiB, so Tracheon did not read all of it.',
  error_status: ({ status }) => `The page answers with the error ${status}.`,
  redirects_too_often: ({ finalUrl }) => `The page redirects too often, last to ${finalUrl}.`,
  not_html: () => 'The response is not an HTML page.',
};
