/** Small pages of the practice partners: escaped by construction, plainly marked as simulated. */
export class Html {
  constructor(readonly text: string) {}
  toString(): string {
    return this.text;
  }
}
type Piece = string | number | Html | null | undefined | Piece[];

const escape = (s: string): string => s.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
const piece = (p: Piece): string =>
  p === null || p === undefined
    ? ''
    : Array.isArray(p)
      ? p.map(piece).join('')
      : p instanceof Html
        ? p.text
        : escape(String(p));

export function html(strings: TemplateStringsArray, ...pieces: Piece[]): Html {
  return new Html(strings.reduce((out, s, i) => out + s + (i < pieces.length ? piece(pieces[i]) : ''), ''));
}

export function page(title: string, accent: string, body: Html): string {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width" />
        <title>${title}</title>
        <link rel="icon" href="data:," />
        <style>
          body {
            font:
              15px/1.5 Georgia,
              serif;
            margin: 0;
            background: #fbfaf7;
            color: #222;
          }
          .mark {
            background: ${accent};
            color: #fff;
            padding: 6px 24px;
            font-family: sans-serif;
            font-size: 13px;
          }
          main {
            max-width: 1000px;
            margin: 0 auto;
            padding: 16px 24px 60px;
          }
          h1 {
            font-size: 26px;
          }
          h2 {
            font-size: 18px;
            margin-top: 28px;
          }
          input,
          select,
          textarea,
          button {
            font: inherit;
            font-size: 14px;
            padding: 4px 8px;
          }
          input.wide,
          textarea {
            width: 100%;
            box-sizing: border-box;
          }
          table {
            border-collapse: collapse;
            width: 100%;
            font-size: 13px;
          }
          td,
          th {
            text-align: left;
            padding: 4px 8px;
            border-bottom: 1px solid #ddd;
            vertical-align: top;
          }
          code {
            font-size: 12px;
            word-break: break-all;
          }
          form.inline {
            display: inline;
          }
          .row {
            display: flex;
            gap: 12px;
            align-items: end;
            flex-wrap: wrap;
          }
          label {
            display: block;
          }
          .quiet {
            color: #666;
          }
        </style>
      </head>
      <body>
        <div class="mark">Practice partner: simulated, for testing. No real money or visitors.</div>
        <main>${body}</main>
      </body>
    </html>`.text;
}
