/** A database of its own for one test file, on the test server, behind a relay that a test can cut. */
import { randomBytes } from 'node:crypto';
import { createConnection, createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import pg from 'pg';

const serverUrl = (): string => {
  const url = process.env.TRACHEON_TEST_SERVER;
  if (!url) throw new Error('No database server: run these tests with npm test -- integration.');
  return url;
};

export async function onServer(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: serverUrl() });
  await client.connect();
  await client.query(sql).finally(() => client.end());
}

/** PostgreSQL as seen through a cable that can be pulled: existing connections break, new ones are refused. */
export class Relay {
  private server: Server | null = null;
  private readonly sockets = new Set<Socket>();
  port = 0;
  /** False while it is cut or frozen. */
  isOpen = false;

  constructor(
    private readonly host: string,
    private readonly targetPort: number,
  ) {}

  async open(): Promise<void> {
    this.server = createServer((near) => {
      const far = createConnection(this.targetPort, this.host);
      for (const [a, b] of [
        [near, far],
        [far, near],
      ] as const) {
        this.sockets.add(a);
        a.on('error', () => b.destroy());
        a.on('close', () => {
          this.sockets.delete(a);
          b.destroy();
        });
        a.pipe(b);
      }
    });
    await new Promise<void>((resolve) => this.server!.listen(this.port, '127.0.0.1', resolve));
    this.port = (this.server.address() as AddressInfo).port;
    this.isOpen = true;
  }

  /** The cable holds, and nothing comes through any more: neither refused nor answered. */
  freeze(): void {
    this.isOpen = false;
    for (const socket of this.sockets) socket.pause().unpipe();
    this.server?.removeAllListeners('connection').on('connection', (near) => void this.sockets.add(near));
  }

  async cut(): Promise<void> {
    this.isOpen = false;
    const { server } = this;
    if (!server) return;
    const closed = new Promise((resolve) => server.close(resolve));
    for (const socket of this.sockets) socket.destroy();
    await closed;
    this.server = null;
  }
}

export interface FreshDatabase {
  url: string;
  /** The same database without the relay between. */
  directUrl: string;
  relay: Relay;
  drop: () => Promise<void>;
}

/** Migrated once for the whole run; its copies take a tenth of the time. */
export const TEMPLATE = 'tracheon_template';

export async function freshDatabase(
  options: { migrated: boolean } = { migrated: true },
): Promise<FreshDatabase> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  await onServer(`CREATE DATABASE ${name}${options.migrated ? ` TEMPLATE ${TEMPLATE}` : ''}`);
  const direct = new URL(serverUrl());
  direct.pathname = `/${name}`;
  const relay = new Relay(direct.hostname, Number(direct.port || 5432));
  await relay.open();
  const through = new URL(direct);
  through.host = `127.0.0.1:${relay.port}`;
  return {
    url: through.toString(),
    directUrl: direct.toString(),
    relay,
    drop: async () => {
      await relay.cut();
      await onServer(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
    },
  };
}
