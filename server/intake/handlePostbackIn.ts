/**
 * GET|POST /in/<intake key>: the receipt is durable first, then it is judged. Whatever was kept is answered 200 in
 * the network's style; nothing that was not kept ever is.
 *
 * Unknown key: 404. Body over 64 KiB, or a list of more than 1 000 calls: 413. Neither database nor disk: 503 with Retry-After,
 * nothing kept. Kept in the spool only: answered `queued`, and judged once it is loaded.
 * Judged later than a partner waits: answered `queued`; the judgement goes on, and the sweeper sees to it.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { NetworkInput } from '@tracheon/core/contract';
import { reasonSentence } from '@tracheon/core/conversions';
import { cleanText } from '@tracheon/core/links';
import { addressPrefix, clientAddress, inRanges, type Ranges } from '../addresses/addresses.ts';
import { answer, refuse } from '../capture/answers.ts';
import type { TestMarks } from '../capture/testMarks.ts';
import type { Handles } from '../capture/visitHandles.ts';
import type { IntakeEndpoint, Snapshot } from '../snapshot/compiled.ts';
import type { Kept } from '../events/durableWriter.ts';
import type { ReceiptRecord } from '../events/rows.ts';
import type { FailureThrottle } from '../limits/failureThrottle.ts';
import { MAX_CALL_QUERY_LENGTH } from '../limits/limits.ts';
import { hostOf } from '../capture/handleVisit.ts';
import type { FindPlace } from '../capture/visitor.ts';
import { RAW_REQUEST_LINE, wasRaw } from '../capture/requestTarget.ts';
import { isProven, SIGNATURE_HEADER, splitKey, UNPROVEN } from './callerProof.ts';
import type { Judgement } from './judge.ts';
import { answerPixel, cookieClick, pixelOf, type PixelForm } from './pixels.ts';
import { callsIn, readCallBody } from './readCallBody.ts';
import { COOKIE_CLICK } from './readReceipt.ts';

const RETRY_AFTER_SECONDS = 30;

export interface IntakeDeps {
  snapshot: () => Snapshot;
  /** How each receipt became durable, all in one commit; rejects when neither database nor disk took them. */
  keep: (receipts: readonly ReceiptRecord[]) => Promise<Kept[]>;
  judge: (receipt: ReceiptRecord) => Promise<Judgement>;
  /** A partner's server waits no longer than this for the verdict. */
  verdictPatienceMs: number;
  trusted: Ranges;
  testMarks: TestMarks;
  /** Of the visitors' cookies, for pixels. */
  handles: Handles;
  /** The server's own, from which the networks' are derived. */
  secret: string;
  newId: (nowMs: number) => string;
  now: () => number;
  /** Requests with unknown keys, by address: whoever searches for keys is held off, and no longer counted. */
  strangers: FailureThrottle;
  findPlace: FindPlace;
  /** Addresses of sources' images that wait for a page of these conversions; each is given once. */
  takePagePixels: (deskId: string, conversionIds: readonly string[]) => Promise<string[]>;
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
  whole: string,
  query: string,
): Promise<void> {
  const { path, form } = pixelOf(whole);
  const { key, secret } = splitKey(path);
  if (req.method !== 'GET' && (req.method !== 'POST' || form !== null))
    return refuse(res, 'method_not_allowed', { Allow: form === null ? 'GET, POST' : 'GET' });
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
  const body = await readCallBody(req);
  const calls = body === null ? null : callsIn(body);
  if (body === null || calls === null) return refuse(res, 'body_too_large', { Connection: 'close' });
  const receipts = receiptsOf(deps, req, { endpoint, key, secret, query, body, calls, form, peer, now });
  let kept: Kept[];
  try {
    kept = await deps.keep(receipts);
  } catch (error) {
    for (const receipt of receipts) deps.onNotKept(receipt, error);
    return refuse(res, 'not_kept', {
      'Retry-After': String(RETRY_AFTER_SECONDS),
    });
  }
  deps.onKept(endpoint.deskId);
  // What waits in the spool is judged once it is loaded.
  const committed = receipts.filter((_, i) => kept[i] === 'committed');
  const judged = await judgeInTime(deps, committed);
  if (form !== null)
    return answerPixel(res, form, form === 'html' ? await imagesFor(deps, endpoint, judged) : []);
  const judgements = receipts.map((r) => judged.get(r.id) ?? queued);
  sayKept(res, endpoint.network.body.answerStyle, judgements, calls.length > 1 || calls[0] !== body);
}

/** Images of the sources for the conversions that were booked in time; without them the page is as good. */
function imagesFor(
  deps: IntakeDeps,
  { deskId }: IntakeEndpoint,
  judged: ReadonlyMap<string, Judgement>,
): Promise<string[]> {
  const conversions = [...judged.values()].map((j) => j.conversionId).filter((id) => id !== '');
  return deps.takePagePixels(deskId, conversions).catch(() => []);
}

interface Called {
  endpoint: IntakeEndpoint;
  key: string;
  secret: string;
  query: string;
  /** As it came, and the calls in it. */
  body: string;
  calls: readonly string[];
  form: PixelForm | null;
  peer: string;
  now: number;
}

/** One for each call of a list; all of them by the same proof. */
function receiptsOf(deps: IntakeDeps, req: IncomingMessage, called: Called): ReceiptRecord[] {
  const { endpoint, key, query, form, peer, now } = called;
  const { callerProof, acceptsPixels } = endpoint.network.body;
  const signature = one(req.headers[SIGNATURE_HEADER]) ?? '';
  // A test conversion is called in by ourselves, from an address that is on no network's list.
  const isOwn = deps.testMarks.read(query, key, now)?.ok === true;
  // A visitor's browser has no address that could be listed, and can sign nothing.
  const isPixel = form !== null && acceptsPixels === true;
  const proven =
    isOwn || isPixel || isProven(callerProof ?? 'none', deps.secret, key, { ...called, signature }, now);
  const isListed = isPixel || endpoint.allowed.length === 0 || inRanges(peer, endpoint.allowed);
  const cookie =
    form === null ? '' : cookieClick(deps.handles, deps.snapshot(), endpoint, req.headers.cookie);
  const headers = {
    ...usefulHeaders(req),
    ...(wasRaw(req) ? { [RAW_REQUEST_LINE]: 'yes' } : {}),
    ...(proven ? {} : { [UNPROVEN]: 'yes' }),
    ...(cookie === '' ? {} : { [COOKIE_CLICK]: cookie }),
  };
  return called.calls.map((text) => ({
    deskId: endpoint.deskId,
    id: deps.newId(now),
    receivedMs: now,
    networkId: endpoint.network.id,
    method: req.method ?? 'GET',
    path: `/in/${key}${form === null ? '' : `.${form}`}`,
    query: cleanText(query).slice(0, MAX_CALL_QUERY_LENGTH),
    body: cleanText(text),
    contentType: cleanText(one(req.headers['content-type']) ?? '').slice(0, 200),
    headers,
    addressPrefix: addressPrefix(peer),
    held: !isOwn && (!proven || !isListed),
    channel: form === null ? 'postback' : 'pixel',
    batchId: '',
  }));
}

const queued: Judgement = { outcome: 'queued', reason: 'not_judged_yet', detail: '', conversionId: '' };

/** Receipts of one call that wait to be judged at the same time; other calls get in between. */
const JUDGED_AT_ONCE = 64;

/** The judgements that were there in time, by receipt; the others go on. */
async function judgeInTime(
  deps: IntakeDeps,
  receipts: readonly ReceiptRecord[],
): Promise<Map<string, Judgement>> {
  const judged = new Map<string, Judgement>();
  if (receipts.length === 0) return judged;
  const waiting = [...receipts].reverse();
  const lane = async (): Promise<void> => {
    for (let receipt = waiting.pop(); receipt; receipt = waiting.pop()) {
      const { id, deskId } = receipt;
      const of = receipt;
      await deps.judge(of).then(
        (j) => {
          judged.set(id, j);
          deps.onJudged(deskId, j);
        },
        (error: unknown) => deps.onNotJudged(of, error),
      );
    }
  };
  let timer: NodeJS.Timeout | undefined;
  const patience = new Promise<void>((resolve) => (timer = setTimeout(resolve, deps.verdictPatienceMs)));
  await Promise.race([
    Promise.all(Array.from({ length: Math.min(JUDGED_AT_ONCE, receipts.length) }, lane)),
    patience,
  ]);
  clearTimeout(timer);
  return new Map(judged);
}

/** A list is answered by a list, in its order. */
function sayKept(
  res: ServerResponse,
  style: NetworkInput['answerStyle'],
  judgements: readonly Judgement[],
  isList: boolean,
): void {
  if (style === 'empty') return answer(res, 200, '');
  if (style === 'ok') return answer(res, 200, 'OK');
  if (style === 'one') return answer(res, 200, '1');
  const told = judgements.map((j) => ({ outcome: j.outcome, reason: reasonSentence(j.reason, j.detail) }));
  answer(res, 200, JSON.stringify(isList ? { outcomes: told } : told[0]), {
    'Content-Type': 'application/json; charset=utf-8',
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
