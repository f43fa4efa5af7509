import { createServer } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import { CannotStart } from './install.mjs';

const LOOK_EVERY_MS = 100;

/**
 * Resolves when the port of a place, `{ name, host, port }`, can be listened on. `patienceMs`: for so long it may
 * still be used; `onWait` is called once when it is.
 * @throws {CannotStart} if it is no port, cannot be listened on, or is used for longer.
 */
export async function needFree({ name, host, port }, patienceMs = 0, onWait = () => undefined) {
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    throw new CannotStart(`TRACHEON_${name}_PORT is not a port number.`);
  const end = Date.now() + patienceMs;
  for (let tries = 0; ; tries += 1) {
    if (tries === 1) onWait();
    if (tries > 0) await pause(LOOK_EVERY_MS);
    const code = await whyNot(host, port);
    if (code === null) return;
    if (code !== 'EADDRINUSE')
      throw new CannotStart(
        `Tracheon can't listen on ${host}:${port} (${code}). Set TRACHEON_${name}_HOST and TRACHEON_${name}_PORT.`,
      );
    if (Date.now() >= end)
      throw new CannotStart(
        `${host}:${port} is used by another program. Stop it, or set TRACHEON_${name}_PORT to a free port.`,
      );
  }
}

/** The code of the error, or null. */
const whyNot = (host, port) =>
  new Promise((done) => {
    const probe = createServer();
    probe.once('error', (error) => done(error.code ?? error.message));
    probe.listen(port, host, () => probe.close(() => done(null)));
  });
