/** What a session knows of itself, and the moment at which it was last used. */
import type { Request } from 'express';
import { cleanText } from '@tracheon/core/links';
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import { isOver, noteSeen, type SessionInfo } from './sessions.ts';
import { addressPrefix } from '../addresses/addresses.ts';

declare module 'express-session' {
  interface SessionData {
    memberId: string;
    deskId: string;
    /** Of the partner page: who signed in, and for which partner. */
    userId: string;
    accessId: string;
    info: SessionInfo;
  }
}

const MAX_AGENT_LENGTH = 200;
/** Noted so often only: each note is a write. */
const NOTE_EVERY_MS = 60_000;

export const sessionInfo = (req: Request, nowMs: number): SessionInfo => ({
  id: ulid(),
  startedMs: nowMs,
  seenMs: nowMs,
  agent: cleanText(req.get('user-agent') ?? '').slice(0, MAX_AGENT_LENGTH),
  addressPrefix: addressPrefix(req.ip ?? ''),
});

/** False when the session is over by its age. */
export function isInUse(pool: Pool, req: Request, nowMs: number): boolean {
  const { info } = req.session;
  if (info === undefined || isOver(info, nowMs)) return false;
  if (nowMs - info.seenMs > NOTE_EVERY_MS) void noteSeen(pool, req.sessionID, nowMs).catch(() => undefined);
  return true;
}

export const saveSession = (req: Request): Promise<void> =>
  new Promise((resolve, reject) => req.session.save((e: unknown) => (e ? reject(e as Error) : resolve())));
