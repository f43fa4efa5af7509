/** The tracking listener: plain handlers on Node's http server, since each visit passes here. Nothing of the desk is reachable. */
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { errorCatalogue, type ErrorCode } from '@tracheon/core/contract';
import { ARRIVAL_PATH } from '@tracheon/core/links';
import { answer, ERROR_HEADER, refuse } from '../capture/answers.ts';
import { handleArrival } from '../capture/handleArrival.ts';
import { handleButton, type ButtonDeps } from '../capture/handleButton.ts';
import { handleVisit, hostOf, type CaptureDeps } from '../capture/handleVisit.ts';
import { handleImpression, type ImpressionDeps } from '../capture/impressions.ts';
import { handleRawRequestLine, readTarget } from '../capture/requestTarget.ts';
import { PROOF_PATH } from '../domains/checkDomain.ts';
import { PAGE_SCRIPT, PAGE_SCRIPT_SECONDS } from '../capture/pageScript.ts';
import type { Metrics } from '../health/metrics.ts';
import { handlePostbackIn, type IntakeDeps } from '../intake/handlePostbackIn.ts';
import { handleConversionFile, type FileDeps } from '../reports/conversionFile.ts';
import {
  CHECK_CONNECTIONS_MS,
  HEADERS_TIMEOUT_MS,
  KEEP_ALIVE_MS,
  MAX_CONNECTIONS,
  MAX_HEADER_BYTES,
  REQUEST_TIMEOUT_MS,
} from '../limits/limits.ts';

export function buildTrackingServer(
  capture: CaptureDeps & ButtonDeps & ImpressionDeps,
  intake: IntakeDeps,
  files: FileDeps,
  took: Metrics['took'],
  /** Shows that this listener is ours; see checkDomain. */
  proofOf: (nonce: string) => string,
  onError: (error: unknown) => void,
): Server {
  const server = createServer(
    {
      maxHeaderSize: MAX_HEADER_BYTES,
      requestTimeout: REQUEST_TIMEOUT_MS,
      headersTimeout: HEADERS_TIMEOUT_MS,
      connectionsCheckingInterval: CHECK_CONNECTIONS_MS,
    },
    (req, res) => {
      route({ capture, intake, files, took, proofOf }, req, res).catch((error: unknown) => {
        onError(error);
        if (!res.headersSent) refuse(res, 'internal');
        else res.destroy();
      });
    },
  );
  server.keepAliveTimeout = KEEP_ALIVE_MS;
  server.maxConnections = MAX_CONNECTIONS;
  server.on('clientError', (error: NodeJS.ErrnoException & { rawPacket?: Buffer }, socket) => {
    handleRawRequestLine(server, error, socket, () => answerUnreadable(error, socket));
  });
  return server;
}

interface Deps {
  files: FileDeps;
  capture: CaptureDeps & ButtonDeps & ImpressionDeps;
  intake: IntakeDeps;
  took: Metrics['took'];
  proofOf: (nonce: string) => string;
}

async function route(deps: Deps, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const began = performance.now();
  const { path, query, host } = readTarget(req.url ?? '/');
  if (host !== null) req.headers.host = host;
  const of = (prefix: string): boolean => path.startsWith(prefix) || path === prefix.slice(0, -1);
  if (of('/v/')) {
    await handleVisit(deps.capture, req, res, path.slice(3), query);
    deps.took('visit', (performance.now() - began) / 1000);
  } else if (of('/b/')) {
    await handleButton(deps.capture, req, res, path.slice(3), query);
    deps.took('button', (performance.now() - began) / 1000);
  } else if (of('/in/')) {
    await handlePostbackIn(deps.intake, req, res, path.slice(4), query);
    deps.took('postback', (performance.now() - began) / 1000);
  } else if (of(ARRIVAL_PATH)) {
    await handleArrival(deps.capture, req, res, path.slice(ARRIVAL_PATH.length), query);
    deps.took('visit', (performance.now() - began) / 1000);
  } else if (path === '/page.js') {
    answer(res, 200, PAGE_SCRIPT, {
      'Content-Type': 'text/javascript; charset=utf-8',
      'Cache-Control': `public, max-age=${PAGE_SCRIPT_SECONDS}`,
      'Cross-Origin-Resource-Policy': 'cross-origin',
    });
  } else if (of('/seen/')) handleImpression(deps.capture, req, res, path.slice(6), query);
  else if (of('/files/')) await handleConversionFile(deps.files, req, res, path.slice(7));
  else if (path === PROOF_PATH)
    answer(res, 200, deps.proofOf(/(?:^|&)n=([\w-]{1,64})/.exec(query)?.[1] ?? ''));
  else if (path === '/healthz') answer(res, 200, 'alive');
  else await ownPath(deps, req, res, path, query);
}

/** A path that a member set on this domain; or an unknown one, which may fall back like an unknown key. */
async function ownPath(
  { capture }: Deps,
  req: IncomingMessage,
  res: ServerResponse,
  path: string,
  query: string,
): Promise<void> {
  const domain = capture.snapshot().domains.get(hostOf(req));
  const key = domain?.paths.get(path) ?? '';
  if (key !== '' || domain?.fallbackUrl) await handleVisit(capture, req, res, key, query);
  else refuse(res, 'unknown_campaign_key');
}

/** Errors of Node's parser by its codes; every other is a request that cannot be read. */
const PARSER_ERRORS: Readonly<Record<string, ErrorCode>> = {
  HPE_HEADER_OVERFLOW: 'headers_too_large',
  ERR_HTTP_REQUEST_TIMEOUT: 'request_timeout',
};

/**
 * What Node's parser refuses never becomes a request; it is answered on the socket itself (RFC 9112 §9.6).
 * A connection that a browser opened ahead of need and never used is closed without an answer: the browser would take
 * an answer for that of the request which it is about to send.
 */
export function answerUnreadable(error: NodeJS.ErrnoException, socket: Duplex): void {
  const unused = error.code === 'ERR_HTTP_REQUEST_TIMEOUT' && (socket as Partial<Socket>).bytesRead === 0;
  if (!socket.writable || unused || error.code === 'ECONNRESET') return void socket.destroy();
  const code = PARSER_ERRORS[error.code ?? ''] ?? 'unreadable_request';
  const { status, sentence } = errorCatalogue[code];
  socket.end(
    `HTTP/1.1 ${status} Refused\r\nConnection: close\r\nContent-Type: text/plain; charset=utf-8\r\n` +
      `${ERROR_HEADER}: ${code}\r\nContent-Length: ${Buffer.byteLength(sentence)}\r\n\r\n${sentence}`,
  );
}
