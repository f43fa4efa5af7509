/**
 * The load, a process of its own: visitors, and the networks' calls about them. Every acknowledgement is written down
 * with all that was sent. A call whose answer never came is sent again until there is one, as a network does; a visitor
 * whose link did not open goes away. Ends on SIGTERM, after whatever is under way has been acknowledged.
 *
 *   load.ts <settings as JSON>
 */
import { appendFileSync } from 'node:fs';
import { Agent, request } from 'node:http';
import { sentCall, sentVisit, type Acknowledged, type LoadSettings } from './sent.ts';

const settings = JSON.parse(process.argv[2]!) as LoadSettings;
const agent = new Agent({ keepAlive: true, maxSockets: settings.lanes });
let going = true;
let serial = 0;
let lines: string[] = [];
process.on('SIGTERM', () => (going = false));

/** Written in order, a little later, since nobody kills this process. */
const note = (a: Acknowledged): void => void lines.push(JSON.stringify(a));
function write(): void {
  const batch = lines;
  lines = [];
  if (batch.length > 0) appendFileSync(settings.log, batch.join('\n') + '\n');
}
setInterval(write, 100).unref();
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

type Answer = { status: number; location: string } | { error: string };
function get(path: string, headers: Record<string, string>): Promise<Answer> {
  return new Promise((resolve) => {
    const req = request(settings.origin + path, { agent, headers, timeout: 10_000 }, (res) => {
      res.resume();
      res.on('end', () => resolve({ status: res.statusCode!, location: res.headers.location ?? '' }));
      res.on('error', (e: NodeJS.ErrnoException) => resolve({ error: e.code ?? 'broken' }));
    });
    req.on('timeout', () => req.destroy());
    req.on('error', (e: NodeJS.ErrnoException) => resolve({ error: e.code ?? 'broken' }));
    req.end();
  });
}

/** Sent until it is acknowledged; counts the tries whose outcome nobody knows. */
async function untilAcknowledged(query: string): Promise<{ unknown: number; tries: number }> {
  let unknown = 0;
  for (let tries = 1; ; tries++) {
    const answer = await get(`/in/${settings.intakeKey}?${query}`, { 'User-Agent': 'practice' });
    if ('status' in answer && answer.status === 200) return { unknown, tries };
    // Refused connections were never sent; the rest may or may not have been kept.
    if ('error' in answer && answer.error !== 'ECONNREFUSED') unknown += 1;
    await pause(30);
  }
}

async function lane(): Promise<void> {
  while (going) {
    const n = ++serial;
    const visit = sentVisit(settings.run, n);
    const answer = await get(`/v/${settings.campaignKey}?${visit.query}`, {
      'User-Agent': visit.agent,
      'X-Forwarded-For': visit.address,
    });
    if (!('status' in answer) || answer.status !== 302) {
      await pause(20);
      continue;
    }
    const id = new URL(answer.location).searchParams.get('aff_ref')!;
    note({ kind: 'visit', n, id });
    for (const status of n % 2 === 0 ? (['wait', 'ok'] as const) : []) {
      const { unknown, tries } = await untilAcknowledged(sentCall(settings.run, n, id, status));
      note({ kind: 'postback', n, id, status, unknown, tries });
    }
    if (settings.pauseMs > 0) await pause(settings.pauseMs);
  }
}

await Promise.all(Array.from({ length: settings.lanes }, lane));
write();
process.stdout.write('load ended\n');
