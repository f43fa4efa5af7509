/** The index, asked over a socket in the data folder: by the servers that share it, and by commands. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { rmSync } from 'node:fs';
import { connect } from 'node:net';
import { isAway } from '../db/pools.ts';
import { type KeptIndex, NotReady, QuestionTooLong } from './keptIndex.ts';
import type { Ask, Refusal } from './numbersSocket.ts';
import { verify } from './verify.ts';

/** A question is a few hundred bytes, but for one that names a thousand values. */
const MAX_BODY = 4 * 1024 * 1024;

/** Whether somebody answers there. */
export function isServed(path: string): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(path);
    socket.once('connect', () => (socket.destroy(), resolve(true)));
    socket.once('error', () => resolve(false));
  });
}

/** Rejects when the socket can't be made, as when another process has it. */
export async function serveNumbers(kept: KeptIndex, path: string): Promise<Server> {
  if (await isServed(path)) throw new Error('another process serves the numbers of this data folder');
  rmSync(path, { force: true });
  const server = createServer((req, res) => {
    handle(kept, req, res).catch((error: unknown) => say(res, 500, { error: String(error) }));
  });
  await new Promise<void>((done, failed) => {
    server.once('error', failed);
    server.listen(path, done);
  });
  return server;
}

const say = (res: ServerResponse, status: number, body: unknown): void => {
  if (res.destroyed || res.writableEnded) return;
  res.writeHead(status, { 'Content-Type': 'application/json' }).end(JSON.stringify(body));
};

async function handle(kept: KeptIndex, req: IncomingMessage, res: ServerResponse): Promise<void> {
  switch (`${req.method} ${req.url}`) {
    case 'GET /state':
      return say(res, 200, kept.state);
    case 'GET /standing':
      return say(res, 200, kept.standing);
    case 'POST /rebuild':
      kept.drop();
      return say(res, 200, kept.state);
    case 'POST /verify':
      return say(res, 200, kept.open ? await verify(kept.pool, kept.open) : null);
    case 'POST /ask':
      return ask(kept, (await bodyOf(req)) as Ask, res);
    default:
      return say(res, 404, {});
  }
}

async function ask(kept: KeptIndex, { deskId, asked }: Ask, res: ServerResponse): Promise<void> {
  const gone = new AbortController();
  // Whoever asked has left.
  res.once('close', () => gone.abort());
  const refuse = (refusal: Refusal): void => say(res, 503, { refusal });
  try {
    const answer = await kept.ask(deskId, asked, gone.signal);
    if (answer) say(res, 200, answer);
    else refuse('not_found');
  } catch (error) {
    if (error instanceof NotReady) refuse('numbers_building');
    else if (error instanceof QuestionTooLong) refuse('question_too_long');
    else if (isAway(error)) refuse('database_away');
    else throw error;
  }
}

async function bodyOf(req: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > MAX_BODY) throw new Error('the question is too large');
  }
  return JSON.parse(text);
}
