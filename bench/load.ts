/**
 * The load generator, a process of its own: keep-alive connections on raw sockets, one request at a time on each, so
 * that it costs as little as it can of the machine that the server under test runs on as well. Prints one JSON line.
 *
 *   load.ts < settings as JSON
 */
import { readFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { makeRequests, type Wanted } from './requests.ts';

export interface LoadSettings {
  host: string;
  port: number;
  connections: number;
  seconds: number;
  requests: Wanted;
  /** Number of the first request, so that a second run repeats none of the first. */
  from: number;
  /**
   * So many requests a second, evenly; without it as many as are answered. A request that has to wait for a free connection
   * waits on the clock: its time counts from the moment at which it was due.
   */
  perSecond?: number;
  /** It is over after so many requests, also before its time. */
  most?: number;
}
export interface LoadResult {
  perSecond: number;
  p50Ms: number;
  p99Ms: number;
  /** Answers by status. */
  statuses: Record<string, number>;
  /** Connections that broke under a request. */
  broken: number;
  next: number;
  /** Answers whose body has this text in it. */
  marked: number;
  /** All answers, and the CPU time that asking took, in µs. */
  answers: number;
  cpuUs: number;
}

const settings = JSON.parse(readFileSync(0, 'utf8')) as LoadSettings;
const next = makeRequests(settings.requests, `${settings.host}:${settings.port}`);
const HEAD_END = Buffer.from('\r\n\r\n');
/** Latencies in steps of 0.1 ms, up to 10 s. */
const latencies = new Uint32Array(100_000);
const statuses: Record<string, number> = {};
let [count, broken, serial, marked] = [0, 0, settings.from, 0];
const mark = settings.requests.mark ?? '';
const most = settings.most ?? Infinity;
const end = performance.now() + settings.seconds * 1000;

let slots = 0;
const start = performance.now();
/** When the next request is due. */
const dueNext = (): number =>
  settings.perSecond === undefined ? performance.now() : start + (slots++ * 1000) / settings.perSecond;

function run(): Promise<void> {
  return new Promise((resolve) => {
    let began = 0;
    let pending = Buffer.alloc(0);
    const socket: Socket = connect(settings.port, settings.host, () => send());
    socket.setNoDelay(true);
    const send = (): void => {
      const due = dueNext();
      if (due >= end || serial - settings.from >= most) return void socket.end();
      const wait = due - performance.now();
      if (wait > 1) return void setTimeout(go, wait, due);
      go(due);
    };
    const go = (due: number): void => {
      // It may be sent a little early, and is then counted from when it was.
      began = settings.perSecond === undefined ? performance.now() : Math.min(due, performance.now());
      socket.write(next(serial++));
    };
    socket.on('data', (chunk) => {
      pending = pending.length === 0 ? chunk : Buffer.concat([pending, chunk]);
      const head = pending.indexOf(HEAD_END);
      if (head < 0) return;
      const text = pending.toString('latin1', 0, head);
      const length = Number(/content-length: (\d+)/i.exec(text)?.[1] ?? 0);
      if (pending.length < head + 4 + length) return;
      if (mark !== '' && pending.toString('latin1', head + 4).includes(mark)) marked += 1;
      const status = text.slice(9, 12);
      statuses[status] = (statuses[status] ?? 0) + 1;
      latencies[Math.min(latencies.length - 1, Math.floor((performance.now() - began) * 10))]! += 1;
      count += 1;
      pending = Buffer.alloc(0);
      send();
    });
    socket.on('error', () => (broken += 1));
    socket.on('close', () => resolve());
  });
}

function quantile(q: number): number {
  let left = count * q;
  for (let i = 0; i < latencies.length; i++) if ((left -= latencies[i]!) <= 0) return i / 10;
  throw new Error(`${left} of ${count} answers have no time`);
}

const began = performance.now();
const cpuBefore = process.cpuUsage();
await Promise.all(Array.from({ length: settings.connections }, run));
const seconds = (performance.now() - began) / 1000;
const cpu = process.cpuUsage(cpuBefore);
const result: LoadResult = {
  perSecond: Math.round(count / seconds),
  p50Ms: quantile(0.5),
  p99Ms: quantile(0.99),
  statuses,
  broken,
  next: serial,
  marked,
  answers: count,
  cpuUs: cpu.user + cpu.system,
};
process.stdout.write(`${JSON.stringify(result)}\n`);
