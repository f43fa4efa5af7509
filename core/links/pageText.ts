/** What a person reads on a page, without its pictures and scripts: enough to see whether it is the right one. */

/** Of a page more is not looked at. */
const MAX_HTML = 512 * 1024;
const MAX_TEXT = 4000;
const MAX_TITLE = 200;
/** Nobody reads the content of these elements. */
const UNREAD = new Set(['script', 'style', 'noscript', 'template', 'svg', 'head']);
const entities: Readonly<Record<string, string>> = {
  amp: '&',
  lt: '<',
  gt: '>',
  quot: '"',
  apos: "'",
  nbsp: ' ',
};

const decoded = (text: string): string =>
  text.replaceAll(
    /&(?:#(\d{1,7})|#x([0-9a-f]{1,6})|([a-z]{2,6}));/gi,
    (whole, dec?: string, hex?: string, name?: string) => {
      if (name !== undefined) return entities[name.toLowerCase()] ?? whole;
      const code = dec === undefined ? parseInt(hex!, 16) : Number(dec);
      return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : '';
    },
  );
const tidy = (text: string): string => decoded(text).replaceAll(/\s+/g, ' ').trim();

export interface PageText {
  title: string;
  text: string;
}

export function pageText(page: string): PageText {
  const html = page.slice(0, MAX_HTML);
  let [text, title, at] = ['', '', 0];
  while (at < html.length) {
    const open = html.indexOf('<', at);
    if (open < 0) {
      text += html.slice(at);
      break;
    }
    text += html.slice(at, open);
    if (html.startsWith('<!--', open)) {
      const end = html.indexOf('-->', open + 4);
      at = end < 0 ? html.length : end + 3;
      continue;
    }
    const close = html.indexOf('>', open);
    if (close < 0) break;
    const name = /^[a-z][a-z0-9]{0,20}/i.exec(html.slice(open + 1, open + 24))?.[0]!.toLowerCase() ?? '';
    at = close + 1;
    text += ' ';
    if (name === 'head') {
      const end = endOf(html, 'head', at);
      title = titleIn(html.slice(at, end));
      at = end;
    } else if (UNREAD.has(name) && html[close - 1] !== '/') at = endOf(html, name, at);
    else if (name === 'title' && title === '') {
      const end = endOf(html, 'title', at);
      title = html.slice(at, end);
      at = end;
    }
  }
  return { title: tidy(title).slice(0, MAX_TITLE), text: tidy(text).slice(0, MAX_TEXT) };
}

/** Where the element's end tag begins; the page's end, where there is none. */
function endOf(html: string, name: string, from: number): number {
  const closing = new RegExp(`</${name}[\\s>]`, 'gi');
  closing.lastIndex = from;
  return closing.exec(html)?.index ?? html.length;
}
function titleIn(head: string): string {
  const open = /<title[^>]{0,200}>/i.exec(head);
  if (!open) return '';
  const from = open.index + open[0].length;
  return head.slice(from, endOf(head, 'title', from));
}

/** The words stand on the page, in this order; capitals and spaces don't matter. */
export function pageSays({ title, text }: PageText, words: string): boolean {
  const plain = (s: string): string => s.toLowerCase().replaceAll(/\s+/g, ' ').trim();
  return plain(`${title} ${text}`).includes(plain(words));
}
