/**
 * GET|POST /in/<intake key>: the receipt is durable first, then it is judged. Whatever was kept is answered 200 in
 * the network's style; nothing that was not kept ever is.
 *
 * Unknown key: 404. Body over 64 KiB: 413. Neither database nor disk: 503 with Retry-After,
 * nothing kept. Kept in the spool only: answered `queued`, and judged once it is loaded.
 * Judged later than JUDGE_PATIENCE_MS: answered `queued`; the judgement goes on, and the sweeper sees to it.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { NetworkInput } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { cleanText } from '@tracheon/core/links';
import { addressPrefix, clientAddress, inRanges, type Ranges } from '../addresses/addresses.ts';
import { answer, refuse } from '../capture/answers.ts';
import type { TestMarks } from '../capture/testMarks.ts';
import type { Snapshot } from '../snapshot/compiled.ts';
import type { Kept } from '../events/durableWriter.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { CALL_BODY_PATIENCE_MS, MAX_CALL_BODY_BYTES, MAX_CALL_QUERY_LENGTH } from '../limits/limits.ts';
import { hostOf } from '../capture/handleVisit.ts';
import type { FindPlace } from '../capture/visitor.ts';
import { RAW_REQUEST_LINE, wasRaw } from '../capture/requestTarget.ts';
import { isProven, SIGNATURE_HEADER, splitKey, UNPROVEN } from './callerProof.ts';
import type { Judgement } from './judge.ts';

/** A partner's server waits no longer than this for the verdict. */
export const JUDGE_PATIENCE_MS = 200;
const RETRY_AFTER_SECONDS = 30;

export interface IntakeDeps {
  snapshot: () => Snapshot;
  /** How the receipt became durable; rejects when neither database nor disk took it. */
  keep: (receipt: ReceiptRecord) => Promise<Kept>;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  trusted: Ranges;
  testMarks: TestMarks;
  /** The server's own, from which the networks' are derived. */
  secret: string;
  newId: (nowMs: number) => string;
  now: () => number;
  /** Requests with unknown keys, by address: whoever searches for keys is held off, and no longer counted. */
  strangers: FailureThrottle;
  findPlace: FindPlace;
  onUnknownKey: (key: string, host: string, country: string) => void;
  onKept: (deskId: string) => void;
  onJudged: (deskId: string, judgement: Judgement) => void;
  onNotKept: (receipt: ReceiptRecord, error: unknown) => void;
  onNotJudged: (receipt: ReceiptRecord, error: unknown) => void;
}

export async function handlePostbackIn(
  deps: IntakeDeps,
  req: IncomingMessage,
  res: ServerResponse,
  path: string,
  query: string,
): Promise<void> {
  const { key, secret } = splitKey(path);
  if (req.method !== 'GET' && req.method !== 'POST')
    return refuse(res, 'method_not_allowed', { Allow: 'GET, POST' });
  const now = deps.now();
  const peer = clientAddress(
    req.socket.remoteAddress ?? '',
    one(req.headers['x-forwarded-for']),
    deps.trusted,
  );
  const endpoint = deps.snapshot().intakes.get(key);
  if (!endpoint || now >= endpoint.untilMs) {
    if (deps.strangers.isClosed(peer, now)) return refuse(res, 'too_many_tries', { 'Retry-After': '60' });
    deps.strangers.failed(peer, now);
    deps.onUnknownKey(key, hostOf(req), deps.findPlace(peer).country);
    return refuse(res, 'unknown_intake_key');
  }
  const body = await readBody(req);
  if (body === null) return refuse(res, 'body_too_large', { Connection: 'close' });

  const { callerProof } = endpoint.network.body;
  const call = { secret, signature: one(req.headers[SIGNATURE_HEADER]) ?? '', query, body };
  // A test conversion is called in by ourselves, from an address that is on no network's list.
  const isOwn = deps.testMarks.read(query, key, now)?.ok === true;
  const proven = isOwn || isProven(callerProof ?? 'none', deps.secret, key, call, now);
  const receipt: ReceiptRecord = {
    deskId: endpoint.deskId,
    id: deps.newId(now),
    receivedMs: now,
    networkId: endpoint.network.id,
    method: req.method,
    path: `/in/${key}`,
    query: cleanText(query).slice(0, MAX_CALL_QUERY_LENGTH),
    body: cleanText(body),
    contentType: cleanText(one(req.headers['content-type']) ?? '').slice(0, 200),
    headers: {
      ...usefulHeaders(req),
      ...(wasRaw(req) ? { [RAW_REQUEST_LINE]: 'yes' } : {}),
      ...(proven ? {} : { [UNPROVEN]: 'yes' }),
    },
    addressPrefix: addressPrefix(peer),
    held: !isOwn && (!proven || (endpoint.allowed.length > 0 && !inRanges(peer, endpoint.allowed))),
  };
  let kept: Kept;
  try {
    kept = await deps.keep(receipt);
  } catch (error) {
    deps.onNotKept(receipt, error);
    return refuse(res, 'not_kept', {
      'Retry-After': String(RETRY_AFTER_SECONDS),
    });
  }
  deps.onKept(endpoint.deskId);
  // What waits in the spool is judged once it is loaded.
  const judgement = kept === 'committed' ? await judgeInTime(deps, receipt) : queued;
  sayKept(res, endpoint.network.body.answerStyle, judgement);
}

const queued: Judgement = { outcome: 'queued', reason: 'not_judged_yet', detail: '', conversionId: '' };

async function judgeInTime(deps: IntakeDeps, receipt: ReceiptRecord): Promise<Judgement> {
  let timer: NodeJS.Timeout | undefined;
  const patience = new Promise<Judgement>(
    (resolve) => (timer = setTimeout(() => resolve(queued), JUDGE_PATIENCE_MS)),
  );
  const judged = deps.judge(receipt).then(
    (j) => {
      deps.onJudged(receipt.deskId, j);
      return j;
    },
    (error: unknown) => {
      deps.onNotJudged(receipt, error);
      return queued;
    },
  );
  const first = await Promise.race([judged, patience]);
  clearTimeout(timer);
  return first;
}

function sayKept(res: ServerResponse, style: NetworkInput['answerStyle'], j: Judgement): void {
  if (style === 'empty') return answer(res, 200, '');
  if (style === 'ok') return answer(res, 200, 'OK');
  if (style === 'one') return answer(res, 200, '1');
  const text = JSON.stringify({ outcome: j.outcome, reason: reasonSentence(j.reason, j.detail) });
  answer(res, 200, text, { 'Content-Type': 'application/json; charset=utf-8' });
}

/** null when it is too large; what has arrived in time otherwise. */
function readBody(req: IncomingMessage): Promise<string | null> {
  if (req.method === 'GET') return Promise.resolve('');
  if (Number(req.headers['content-length'] ?? 0) > MAX_CALL_BODY_BYTES) return Promise.resolve(null);
  return new Promise((resolve) => {
    const chunks: Buffer[] = [];
    let size = 0;
    const finish = (value: string | null): void => {
      clearTimeout(timer);
      resolve(value);
    };
    const timer = setTimeout(() => req.destroy(), CALL_BODY_PATIENCE_MS);
    req.on('data', (chunk: Buffer) => {
      size += chunk.length;
      if (size > MAX_CALL_BODY_BYTES) finish(null);
      else chunks.push(chunk);
    });
    req.on('end', () => finish(Buffer.concat(chunks).toString('utf8')));
    // A sender that went away, or was too slow: whoever waits for the body must not wait for ever.
    req.on('close', () => finish(null));
  });
}

const one = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value[0] : value;

/** Never Authorization or Cookie. */
function usefulHeaders(req: IncomingMessage): Record<string, string> {
  const kept: Record<string, string> = {};
  for (const name of ['user-agent', 'content-type', 'x-request-id', 'date'])
    if (req.headers[name] !== undefined) kept[name] = cleanText(String(req.headers[name])).slice(0, 512);
  return kept;
}
