/**
 * Links as they really arrive. A trailing or a doubled slash, an encoded space at either end and the absolute form
 * (RFC 9112 §3.2.2) lead where the plain path does. A request line with raw spaces or raw UTF-8, which Node's parser
 * refuses, is read from its bytes and handled as if it had been encoded; it ends its connection, and is flagged.
 */
import type { IncomingMessage, Server } from 'node:http';
import type { Socket } from 'node:net';
import { Duplex } from 'node:stream';
import { HEADERS_TIMEOUT_MS, MAX_HEADER_BYTES } from '../limits/limits.ts';

export interface RequestTarget {
  path: string;
  query: string;
  /** Of the absolute form: it stands for the Host header. */
  host: string | null;
}

export function readTarget(url: string): RequestTarget {
  let text = url;
  let host: string | null = null;
  if (!text.startsWith('/')) {
    const absolute = /^https?:\/\/([^/?#]*)/i.exec(text);
    if (absolute) {
      host = absolute[1]!.toLowerCase();
      text = text.slice(absolute[0].length);
    }
    if (!text.startsWith('/')) text = `/${text}`;
  }
  const mark = text.indexOf('?');
  const path = mark < 0 ? text : text.slice(0, mark);
  const query = mark < 0 ? '' : text.slice(mark + 1);
  return { path: isPlain(path) ? path : tidy(path), query, host };
}

const isPlain = (path: string): boolean =>
  !path.includes('//') && !path.includes('%20') && (path.length === 1 || !path.endsWith('/'));

const SPACE = '%20';
/** What stands in the place of a button's number says by its spaces that it is none: `/b/<key>/<n>`. */
const BUTTON_NUMBER = 2;

function tidy(path: string): string {
  const segments = path.split('/').map(withoutSpaces).filter(Boolean);
  if (segments[0] === 'b') {
    const told = path.split('/').filter((s) => withoutSpaces(s) !== '')[BUTTON_NUMBER];
    if (told !== undefined) segments[BUTTON_NUMBER] = told;
  }
  return `/${segments.join('/')}`;
}

function withoutSpaces(segment: string): string {
  let [from, to] = [0, segment.length];
  while (from < to && segment.startsWith(SPACE, from)) from += SPACE.length;
  while (to - from >= SPACE.length && segment.endsWith(SPACE, to)) to -= SPACE.length;
  return segment.slice(from, to);
}

/** The packet with its target encoded; null when its first line is no request line, or has nothing to encode. */
export function encodeRequestLine(packet: Buffer): Buffer | null {
  const text = packet.subarray(0, MAX_HEADER_BYTES).toString('latin1');
  const end = text.indexOf('\r\n');
  const line = text.slice(0, Math.max(0, end));
  const method = BEGINS.exec(line)?.[0];
  const version = line.lastIndexOf(' HTTP/1.');
  if (method === undefined || version < method.length || line.length - version !== ' HTTP/1.1'.length)
    return null;
  const target = line.slice(method.length, version);
  const encoded = target.replace(
    /[^\x21-\x7e]/g,
    (byte) => `%${byte.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`,
  );
  if (encoded === target) return null;
  // The connection has a parser that failed; it serves this one request.
  const head = `${method}${encoded}${line.slice(version)}\r\nConnection: close\r\n`;
  return Buffer.concat([Buffer.from(head, 'latin1'), packet.subarray(end + 2)]);
}

/** A connection that goes on with other bytes than those which came. */
class RepairedConnection extends Duplex {
  readonly remoteAddress: string | undefined;
  constructor(
    private readonly socket: Socket,
    first: Buffer,
  ) {
    super({ allowHalfOpen: true });
    this.remoteAddress = socket.remoteAddress;
    for (const event of ['data', 'end'] as const) socket.removeAllListeners(event);
    this.push(first);
    socket.on('data', (chunk: Buffer) => {
      if (!this.push(chunk)) socket.pause();
    });
    socket.on('end', () => this.push(null));
    socket.on('close', () => this.destroy());
    socket.on('error', () => this.destroy());
    socket.resume();
  }
  override _read(): void {
    this.socket.resume();
  }
  override _write(chunk: Buffer, _encoding: BufferEncoding, done: (error?: Error | null) => void): void {
    if (this.socket.writable) this.socket.write(chunk, done);
    else done();
  }
  override _final(done: () => void): void {
    this.socket.end(done);
  }
  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.socket.destroy();
    done(error);
  }
}

/** Handles the request after all, or says by `refuse` that it is none. */
export function handleRawRequestLine(
  server: Server,
  error: { rawPacket?: Buffer },
  socket: Duplex,
  refuse: () => void,
): void {
  const packet = error.rawPacket;
  if (packet === undefined || !('remoteAddress' in socket) || socket instanceof RepairedConnection)
    return refuse();
  const whole = (bytes: Buffer): void => {
    const repaired = encodeRequestLine(bytes);
    if (repaired === null) refuse();
    else server.emit('connection', new RepairedConnection(socket as Socket, repaired));
  };
  if (BEGINS.test(packet.subarray(0, 8).toString('latin1')) && !packet.includes('\r\n'))
    withWholeLine(socket as Socket, packet, whole);
  else whole(packet);
}
const BEGINS = /^(?:GET|HEAD|POST) /;

/** A long line comes in several packets; the parser failed at the first of them. */
function withWholeLine(socket: Socket, first: Buffer, done: (bytes: Buffer) => void): void {
  let bytes = first;
  for (const event of ['data', 'end'] as const) socket.removeAllListeners(event);
  const finish = (): void => {
    clearTimeout(patience);
    for (const event of ['data', 'end'] as const) socket.removeAllListeners(event);
    done(bytes);
  };
  const patience = setTimeout(finish, HEADERS_TIMEOUT_MS);
  socket.on('close', () => clearTimeout(patience));
  socket.on('end', finish);
  socket.on('data', (chunk: Buffer) => {
    bytes = Buffer.concat([bytes, chunk]);
    if (bytes.includes('\r\n') || bytes.length > MAX_HEADER_BYTES) finish();
  });
  socket.resume();
}

/** The request line held raw spaces or raw UTF-8. */
export const wasRaw = (req: IncomingMessage): boolean => req.socket instanceof RepairedConnection;
/** The note on a visit or a postback whose request line was raw. */
export const RAW_REQUEST_LINE = 'raw_request_line';
