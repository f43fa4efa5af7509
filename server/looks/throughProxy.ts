/**
 * A way to the web through a proxy of the desk (CONNECT, RFC 9110 §9.3.6). The way to the proxy is guarded like every
 * outgoing request; where a name leads is the proxy's to say, so that addresses are checked here only as they are written.
 */
import { connect as tlsConnect } from 'node:tls';
import type { Socket } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent } from 'undici';
import { guardedConnect, isPublicAddress, Refused } from '../notify/outgoing.ts';

const TIMEOUT_MS = 10_000;
const MAX_ANSWER = 8 * 1024;

export interface Proxy {
  /** host:port. */
  address: string;
  user: string;
  password: string;
}

/** `allowed`: the operator's `host:port` pairs, which the proxy itself may be at. */
export function throughProxy(proxy: Proxy, allowed: ReadonlySet<string>, maxBytes: number): Agent {
  return new Agent({
    connect: (options, callback) => {
      const port = Number(options.port || (options.protocol === 'https:' ? '443' : '80'));
      const host = options.hostname;
      tunnel(proxy, allowed, host, port).then(
        (socket) => {
          if (options.protocol !== 'https:') return callback(null, socket);
          const secure = tlsConnect({
            socket,
            servername: options.servername ?? host,
            ALPNProtocols: ['http/1.1'],
          });
          secure.once('secureConnect', () => callback(null, secure));
          secure.once('error', (error) => callback(error, null));
        },
        (error: Error) => callback(error, null),
      );
    },
    headersTimeout: TIMEOUT_MS,
    bodyTimeout: TIMEOUT_MS,
    maxResponseSize: maxBytes,
  });
}

async function tunnel(
  { address, user, password }: Proxy,
  allowed: ReadonlySet<string>,
  host: string,
  port: number,
): Promise<Socket> {
  const literal = host.replace(/^\[|\]$/g, '');
  const target = `${host}:${port}`;
  if (
    !allowed.has(target) &&
    ((ipaddr.isValid(literal) && !isPublicAddress(literal)) || literal === 'localhost')
  )
    throw new Refused(`${literal} is a private address`);
  const [proxyHost, proxyPort] = address.split(/:(?=\d+$)/) as [string, string];
  const socket = await guardedConnect(allowed, TIMEOUT_MS, proxyHost, proxyPort).catch((error: Error) => {
    throw error instanceof Refused
      ? new Refused(`The proxy’s address: ${error.message}`)
      : new Refused(`The proxy doesn’t answer (${error.message})`);
  });
  const sign =
    user === ''
      ? ''
      : `Proxy-Authorization: Basic ${Buffer.from(`${user}:${password}`).toString('base64')}\r\n`;
  socket.write(`CONNECT ${target} HTTP/1.1\r\nHost: ${target}\r\n${sign}\r\n`);
  const status = await answerOf(socket).catch((error: Error) => {
    socket.destroy();
    throw error;
  });
  if (status === 200) return socket;
  socket.destroy();
  throw new Refused(
    status === 407
      ? 'The proxy refuses the user or the password'
      : `The proxy refuses this address (status ${status})`,
  );
}

/** The status; what follows the head belongs to the target. */
function answerOf(socket: Socket): Promise<number> {
  return new Promise((done, fail) => {
    let head = Buffer.alloc(0);
    const end = (act: () => void): void => {
      clearTimeout(timer);
      socket.off('data', read).off('error', broken).off('close', closed);
      act();
    };
    const broken = (error: Error): void =>
      end(() => fail(new Refused(`The proxy breaks off (${error.message})`)));
    const closed = (): void => end(() => fail(new Refused('The proxy breaks off')));
    const timer = setTimeout(
      () => end(() => fail(new Refused('The proxy doesn’t answer in time'))),
      TIMEOUT_MS,
    );
    const read = (chunk: Buffer): void => {
      head = Buffer.concat([head, chunk]);
      const at = head.indexOf('\r\n\r\n');
      if (at < 0 && head.length <= MAX_ANSWER) return;
      const status = /^HTTP\/1\.[01] (\d{3})/.exec(head.toString('latin1', 0, 20))?.[1];
      end(() => {
        if (at < 0 || status === undefined) return fail(new Refused('The proxy doesn’t answer as a proxy'));
        socket.pause();
        if (head.length > at + 4) socket.unshift(head.subarray(at + 4));
        done(Number(status));
      });
    };
    socket.on('data', read).on('error', broken).on('close', closed);
  });
}
