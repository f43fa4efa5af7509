/**
 * A pixel on the advertiser's thank-you page, for those that can't call a server: `/in/<key>.gif` for an image, `.html` for an
 * iframe, `.js` for a script. It is a call like any other, but made by the visitor's browser: without a click ID in its
 * address, the signed cookie tells whose it is, where the browser sends it (a third-party cookie, so under https only).
 */
import type { ServerResponse } from 'node:http';
import type { Handles } from '../capture/visitHandles.ts';
import { PIXEL_IMAGE } from '../capture/pixelImage.ts';
import type { IntakeEndpoint, Snapshot } from '../snapshot/compiled.ts';

export const pixelForms = ['gif', 'html', 'js'] as const;
export type PixelForm = (typeof pixelForms)[number];

/** The path without its ending, and which pixel that is; null for a call by a server. */
export function pixelOf(path: string): { path: string; form: PixelForm | null } {
  const form = pixelForms.find((f) => path.endsWith(`.${f}`)) ?? null;
  return { path: form === null ? path : path.slice(0, -form.length - 1), form };
}

/** The newest visit of this browser whose offer is of the network that the pixel is of; empty when there is none. */
export function cookieClick(
  handles: Handles,
  snapshot: Snapshot,
  endpoint: IntakeEndpoint,
  cookies: string | undefined,
): string {
  const found = handles.readCookies(cookies).find(({ campaignKey, pairingId }) => {
    const campaign = snapshot.campaigns.get(campaignKey);
    if (campaign?.deskId !== endpoint.deskId) return false;
    const pairing = campaign.branches.flatMap((b) => b.pairings).find((p) => p.id === pairingId);
    return pairing?.offers.some((o) => o.network.id === endpoint.network.id) ?? false;
  });
  return found?.clickId ?? '';
}

const PAGE = Buffer.from('<!doctype html><title>.</title>');
const SCRIPT = Buffer.from(';');
const answers: Record<PixelForm, [type: string, body: Buffer]> = {
  gif: ['image/gif', PIXEL_IMAGE],
  html: ['text/html; charset=utf-8', PAGE],
  js: ['text/javascript; charset=utf-8', SCRIPT],
};

/** An iframe that carries images of the sources; nothing else of it is loaded. */
function pageWith(images: readonly string[]): Buffer {
  const tags = images.map((url) => {
    const attribute = url.replace(/[&"'<>]/g, (c) => `&#${c.charCodeAt(0)};`);
    return `<img src="${attribute}" width="1" height="1" alt="">`;
  });
  return Buffer.from(`<!doctype html><title>.</title>${tags.join('')}`);
}

/**
 * The same whatever became of it: the page is the advertiser's, and its visitor has no use for our reasons. `images`: of the
 * sources, carried by an iframe.
 */
export function answerPixel(res: ServerResponse, form: PixelForm, images: readonly string[] = []): void {
  const [type, plain] = answers[form];
  const body = form === 'html' && images.length > 0 ? pageWith(images) : plain;
  res.writeHead(200, {
    'Content-Type': type,
    'Content-Length': body.length,
    'Cache-Control': 'no-store',
    'X-Content-Type-Options': 'nosniff',
    'Cross-Origin-Resource-Policy': 'cross-origin',
    ...(form === 'html' ? { 'Content-Security-Policy': "default-src 'none'; img-src http: https:" } : {}),
  });
  res.end(body);
}
