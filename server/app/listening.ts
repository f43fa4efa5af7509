/** Listening and the orderly end of listening. */
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Config } from '../config/config.ts';

export class PortTaken extends Error {}

/** Resolves with the port; rejects with a PortTaken that says which variable to change. */
export function listen(server: Server, host: string, port: number, variable: string): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(listenFailure(error, host, port, variable)),
    );
    server.listen(port, host, () => resolve((server.address() as AddressInfo).port));
  });
}

function listenFailure(error: NodeJS.ErrnoException, host: string, port: number, variable: string): Error {
  if (error.code === 'EADDRINUSE')
    return new PortTaken(
      `${host}:${port} is used by another program. Stop it, or set ${variable} to a free port.`,
    );
  if (error.code === 'EACCES')
    return new PortTaken(`This user can't listen on port ${port}. Set ${variable} to one above 1023.`);
  if (error.code === 'EADDRNOTAVAIL') return new PortTaken(`${host} is not an address of this machine.`);
  return error;
}

/** Less than whoever starts and stops servers waits before it kills. */
const CLOSING_PATIENCE_MS = 5000;

/** Idle keep-alive connections are closed at once; what is being answered is answered. */
export function closeServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    // A connection that has had its answer is idle, and would be kept alive for more.
    const sweep = setInterval(() => server.closeIdleConnections(), 50);
    server.close(() => {
      clearInterval(sweep);
      resolve();
    });
    server.closeIdleConnections();
    setTimeout(() => server.closeAllConnections(), CLOSING_PATIENCE_MS).unref();
  });
}

/** With port 0 the system chooses; public origins made from the port follow. */
export function withPorts(config: Config, ports: Record<'desk' | 'tracking' | 'partners', number>): Config {
  const at = <P extends { origin: string }>(place: P, port: number): P => ({
    ...place,
    port,
    origin: place.origin.replace(/:0$/, `:${port}`),
  });
  return Object.freeze({
    ...config,
    desk: at(config.desk, ports.desk),
    tracking: at(config.tracking, ports.tracking),
    partners: at(config.partners, ports.partners),
  });
}
