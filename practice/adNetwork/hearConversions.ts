/** How the ad network hears of conversions: by a call, a form, JSON or an image pixel; and how it answers. */
import type { Express, Request } from 'express';
import { html, type Html } from '../page/html.ts';
import type { Character } from './characters.ts';

export interface Heard {
  postbacks: { at: number; query: string }[];
  /** As when its server is in trouble: everything is refused and has to be sent again. */
  refuses?: boolean;
}

/** 1×1, transparent. */
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
const FIVE_MINUTES_MS = 5 * 60 * 1000;
const SHOWN = 50;
/** By which a caller shows who it is. */
const KEY_HEADER = 'x-api-key';

export function hearConversions(
  app: Express,
  { postbackPath, pixelPath }: Character,
  network: { hear: (query: string) => void; refuses: boolean },
): void {
  if (postbackPath !== null)
    app.all(postbackPath, (req, res) => {
      if (network.refuses) return void res.status(503).type('text/plain').send('Try again later');
      network.hear(asText(req));
      res.type('text/plain').send('OK');
    });
  // The same by an image pixel, as some accounts are told.
  app.get(pixelPath, (req, res) => {
    network.hear(`pixel ${queryOf(req)}`);
    res.type('image/gif').send(PIXEL);
  });
  app.post('/answers', (req, res) => {
    network.refuses = ((req.body ?? {}) as Record<string, string>).do === 'refuse';
    res.redirect(303, '/');
  });
}

const queryOf = (req: Request): string => req.originalUrl.split('?')[1] ?? '';
/** A plain call is its query; anything more is written out. */
function asText(req: Request): string {
  if (req.method === 'GET') return queryOf(req);
  const body =
    typeof req.body === 'string'
      ? req.body
      : new URLSearchParams((req.body ?? {}) as Record<string, string>).toString();
  const key = req.get(KEY_HEADER);
  return [req.method, queryOf(req), body, key === undefined ? '' : `${KEY_HEADER}: ${key}`]
    .filter(Boolean)
    .join(' ');
}

export const time = (ms: number): string => new Date(ms).toISOString().slice(11, 19);

export function heardPart({ postbacks, refuses }: Heard): Html {
  const recent = postbacks.filter((p) => Date.now() - p.at < FIVE_MINUTES_MS).length;
  return html`<h2>Conversions received</h2>
    <p>In the last five minutes: <strong id="recent">${recent}</strong></p>
    <form method="post" action="/answers">
      <p>
        ${refuses ? 'It refuses every conversion with status 503.' : 'It takes every conversion.'}
        <button name="do" value="${refuses ? 'take' : 'refuse'}">
          ${refuses ? 'Take conversions again' : 'Refuse conversions'}
        </button>
      </p>
    </form>
    <table id="postbacks">
      <tr>
        <th>Time (UTC)</th>
        <th>What was sent</th>
      </tr>
      ${postbacks.slice(0, SHOWN).map(
        (p) =>
          html`<tr>
            <td>${time(p.at)}</td>
            <td><code>${p.query}</code></td>
          </tr>`,
      )}
    </table>`;
}
