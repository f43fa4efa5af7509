/**
 * What the contract says of postbacks, written once more and plainly: from the raw values of all calls to conversions,
 * balances, postbacks out, and what is said of each call. It imports nothing of the product, so that a mistake there is
 * none here as well. It knows the few networks and offers of its test, not all that there are.
 */
export interface Call {
  id: string;
  receivedMs: number;
  /** As it came over the wire; a value that is not there is ''. */
  click: string;
  partner: string;
  transaction: string;
  status: string;
  event: string;
  payout: string;
  currency: string;
  /** In ms since 1970; null: not told. */
  converted: number | null;
  changed: number | null;
}
type Status = 'pending' | 'approved' | 'rejected' | 'reversed';

export interface Ground {
  /** By the click ID as calls write it: the visit's time, and whether it was carried over. */
  visits: ReadonlyMap<string, { at: number; isCarried: boolean }>;
  statusWords: Readonly<Record<string, Status | 'ignore'>>;
  /** The first one is the default. */
  events: readonly { word: string; repeats: boolean }[];
  offerCurrency: string;
  /** In micro-units; null: as reported. */
  fixed: bigint | null;
  windowMs: number;
  payoutMeans: 'event' | 'difference';
  /** Units of the desk's currency for one of another. */
  rates: Readonly<Record<string, { numerator: bigint; denominator: bigint }>>;
  reported: readonly Status[];
  delayMs: number;
}

export interface ModelConversion {
  owner: string;
  event: string;
  transaction: string;
  status: Status;
  micros: bigint;
  currency: string;
  convertedAt: number;
  noted: string;
  flags: string[];
  hold: bigint;
  earned: bigint;
  base: bigint;
  told: string[];
}
export type Said = 'accepted' | 'updated' | 'duplicate' | 'ignored' | 'repair';
export interface ModelResult {
  conversions: ModelConversion[];
  said: Map<string, Said>;
  /** Moves that the contract does not allow. */
  illegalMoves: number;
}

const DAY = 86_400_000;

interface Understood {
  call: Call;
  owner: string;
  event: { word: string; repeats: boolean };
  status: Status;
  micros: bigint | null;
  currency: string | null;
  changed: number | null;
}

export function referenceModel(calls: readonly Call[], ground: Ground): ModelResult {
  const said = new Map<string, Said>();
  const conversions: ModelConversion[] = [];
  let illegalMoves = 0;
  const readable = calls.flatMap((call) => {
    const read = understand(call, ground);
    if (typeof read !== 'string') return [read];
    said.set(call.id, read);
    return [];
  });
  // A transaction alone says whose it is as soon as a conversion has it: one more pass finds all of them.
  const named = readable.filter((r) => r.owner !== '');
  const hasIt = (r: Understood): Understood | undefined =>
    named.find((n) => n.call.transaction === r.call.transaction && isBooked(n, named, ground));
  const all = readable.flatMap((r) => {
    if (r.owner !== '') return [r];
    const found = hasIt(r);
    if (!found) {
      said.set(r.call.id, 'repair');
      return [];
    }
    return [{ ...r, owner: found.owner, event: r.call.event === '' ? found.event : r.event }];
  });
  for (const key of new Set(all.map((r) => `${r.owner}|${r.event.word}`))) {
    const own = all.filter((r) => `${r.owner}|${r.event.word}` === key);
    const groups = inGroups(inOrder(own), ground, said);
    for (const group of groups) {
      const folded = foldOne(group, ground, said);
      illegalMoves += folded.illegal;
      conversions.push(folded.conversion);
    }
  }
  return { conversions, said, illegalMoves };
}

const isBooked = (one: Understood, named: readonly Understood[], ground: Ground): boolean => {
  const own = named.filter((n) => n.owner === one.owner && n.event.word === one.event.word);
  return inGroups(inOrder(own), ground, new Map()).some((g) => g.members.includes(one));
};

function understand(call: Call, ground: Ground): Understood | 'repair' | 'ignored' {
  const meaning = call.status === '' ? 'approved' : ground.statusWords[call.status];
  if (meaning === undefined) return 'repair';
  if (meaning === 'ignore') return 'ignored';
  if (call.click === '' && call.transaction === '') return 'repair';
  const event = call.event === '' ? ground.events[0]! : ground.events.find((e) => e.word === call.event);
  if (!event) return 'repair';
  let status: Status = meaning;
  let micros: bigint | null = null;
  if (call.payout !== '') {
    // Of what the test writes only `1,234` is ambiguous.
    const [, sign, whole, cents = ''] = /^(-?)(\d+)(?:\.(\d{1,6}))?$/.exec(call.payout) ?? [];
    if (whole === undefined) return 'repair';
    micros = BigInt(whole) * 1_000_000n + BigInt(cents.padEnd(6, '0') || '0');
    if (sign === '-' && ground.payoutMeans === 'event') status = 'reversed';
    if (sign === '-' && ground.payoutMeans === 'difference') micros = -micros;
  }
  if (call.currency !== '' && !/^(EUR|USD)$/.test(call.currency)) return 'repair';
  const owner =
    call.click !== '' ? call.click : call.partner !== '' ? `p:${call.partner}:${call.transaction}` : '';
  if (call.click !== '' && !ground.visits.has(call.click)) return 'repair';
  const isTooFar = call.changed !== null && call.changed > call.receivedMs + DAY;
  return {
    call,
    owner,
    event,
    status,
    micros,
    currency: call.currency === '' ? null : call.currency,
    changed: isTooFar ? null : call.changed,
  };
}

function inOrder(calls: readonly Understood[]): Understood[] {
  return [...calls].sort((a, b) => {
    const byTime = (a.changed ?? a.call.receivedMs) - (b.changed ?? b.call.receivedMs);
    if (byTime !== 0) return byTime;
    if (a.call.receivedMs !== b.call.receivedMs) return a.call.receivedMs - b.call.receivedMs;
    return a.call.id < b.call.id ? -1 : 1;
  });
}

interface Group {
  transaction: string;
  /** Of a repeating event without a transaction. */
  by: 'transaction' | 'time' | 'first' | 'only';
  members: Understood[];
}

function inGroups(calls: readonly Understood[], ground: Ground, said: Map<string, Said>): Group[] {
  const groups: Group[] = [];
  for (const one of calls) {
    const { transaction, converted } = one.call;
    let home: Group | undefined;
    if (transaction !== '') {
      home = groups.find((g) => g.by === 'transaction' && g.transaction === transaction);
      if (!home && !one.event.repeats) {
        home = groups.find((g) => g.by === 'only');
        if (home) Object.assign(home, { by: 'transaction', transaction });
      }
    } else if (!one.event.repeats) {
      if (groups.length > 1) {
        said.set(one.call.id, 'repair');
        continue;
      }
      home = groups[0];
    } else if (converted !== null) {
      home = groups.find((g) => g.by === 'time' && g.members[0]!.call.converted === converted);
    } else {
      home = groups.find((g) => {
        const first = g.members[0]!;
        const isAlike =
          first.status === one.status && first.micros === one.micros && first.currency === one.currency;
        return g.by === 'first' && isAlike && one.call.receivedMs - first.call.receivedMs <= 600_000;
      });
    }
    if (home) {
      home.members.push(one);
      continue;
    }
    const visit = ground.visits.get(one.owner);
    if (visit && (converted ?? one.call.receivedMs) > visit.at + ground.windowMs) {
      said.set(one.call.id, 'ignored');
      continue;
    }
    const by =
      transaction !== ''
        ? 'transaction'
        : !one.event.repeats
          ? 'only'
          : converted !== null
            ? 'time'
            : 'first';
    groups.push({ transaction, by, members: [one] });
  }
  return groups;
}

/** From a status to others: always, and only by a call that says when it changed. */
const always: Record<Status, string> = {
  pending: 'approved rejected reversed',
  approved: 'reversed rejected',
  rejected: 'approved',
  reversed: 'approved',
};
const whenDated: Record<Status, string> = {
  pending: '',
  approved: 'pending',
  rejected: 'pending',
  reversed: '',
};

interface Moment {
  at: number;
  status: Status;
  micros: bigint;
  currency: string;
}

function foldOne(
  { members, transaction }: Group,
  ground: Ground,
  said: Map<string, Said>,
): { conversion: ModelConversion; illegal: number } {
  const history: Moment[] = [];
  const hadBefore: string[] = [];
  const datedBefore: string[] = [];
  const flags = new Set<string>();
  let noted = '';
  let illegal = 0;
  for (const one of members) {
    const now = history.at(-1);
    const isGone = one.status === 'rejected' || one.status === 'reversed';
    const next = amountAfter(one, now, ground);
    const words = `${one.status} ${one.micros} ${one.currency}`;
    const text =
      ground.payoutMeans === 'difference' ? words : `${one.status} ${next.micros} ${next.currency}`;
    const dated = `${one.changed} ${words}`;
    const isKnown = one.changed === null ? hadBefore.includes(text) : datedBefore.includes(dated);
    const isSame =
      now !== undefined &&
      now.status === one.status &&
      now.micros === next.micros &&
      now.currency === next.currency;
    const mayMove =
      now === undefined ||
      now.status === one.status ||
      always[now.status].includes(one.status) ||
      (one.changed !== null && whenDated[now.status].includes(one.status));
    const isFixedOther =
      ground.fixed !== null && one.micros !== null && one.micros !== ground.fixed && !isGone;
    if (isFixedOther) flags.add('payout_differs');
    if (next.isUnpaid) flags.add('no_payout');
    if (one.changed !== null) datedBefore.push(dated);
    if (now && isKnown) said.set(one.call.id, 'duplicate');
    else if (!mayMove) {
      said.set(one.call.id, 'ignored');
      flags.add('move_not_allowed');
      illegal += 1;
      continue;
    } else if (isSame) said.set(one.call.id, 'duplicate');
    else {
      said.set(one.call.id, now ? 'updated' : 'accepted');
      history.push({ at: one.changed ?? one.call.receivedMs, status: one.status, ...next });
    }
    hadBefore.push(text);
    if (next.isNoted) noted = `${one.micros} ${one.currency ?? next.currency}`;
  }
  const last = history.at(-1)!;
  if (last.micros !== 0n || ground.fixed !== null) flags.delete('no_payout');
  const { owner, event } = members[0]!;
  if (ground.visits.get(owner)?.isCarried) flags.add('carried_over');
  const stands = last.status === 'pending' || last.status === 'approved' ? last.micros : 0n;
  return {
    illegal,
    conversion: {
      owner,
      event: event.word,
      transaction,
      status: last.status,
      micros: last.micros,
      currency: last.currency,
      convertedAt:
        members.find((m) => m.call.converted !== null)?.call.converted ??
        Math.min(...members.map((m) => m.call.receivedMs)),
      noted,
      flags: [...flags].sort(),
      hold: last.status === 'pending' ? last.micros : 0n,
      earned: last.status === 'approved' ? last.micros : 0n,
      base: inBase(stands, last.currency, ground),
      told: owner.startsWith('p:') ? [] : toldOf(history, ground),
    },
  };
}

/** What it amounts to once this is applied. */
function amountAfter(
  one: Understood,
  now: Moment | undefined,
  ground: Ground,
): { micros: bigint; currency: string; isNoted: boolean; isUnpaid: boolean } {
  const isGone = one.status === 'rejected' || one.status === 'reversed';
  if (ground.fixed !== null)
    return { micros: ground.fixed, currency: ground.offerCurrency, isNoted: false, isUnpaid: false };
  if (isGone) {
    const before = now?.micros ?? 0n;
    const isNoted = one.micros !== null && (now === undefined || one.micros !== now.micros);
    return {
      micros: before,
      currency: now?.currency ?? one.currency ?? ground.offerCurrency,
      isNoted,
      isUnpaid: false,
    };
  }
  if (one.micros === null)
    return {
      micros: now?.micros ?? 0n,
      currency: now?.currency ?? one.currency ?? ground.offerCurrency,
      isNoted: false,
      isUnpaid: now === undefined,
    };
  const isMore = ground.payoutMeans === 'difference' && now !== undefined;
  return {
    micros: isMore ? now.micros + one.micros : one.micros,
    currency: one.currency ?? now?.currency ?? ground.offerCurrency,
    isNoted: false,
    isUnpaid: false,
  };
}

function inBase(micros: bigint, currency: string, { rates }: Ground): bigint {
  const rate = rates[currency];
  if (!rate) return micros;
  const doubled = micros * rate.numerator * 2n;
  const down = doubled / (rate.denominator * 2n);
  const rest = doubled - down * rate.denominator * 2n;
  if (rest >= rate.denominator) return down + 1n;
  return -rest >= rate.denominator ? down - 1n : down;
}

/** Each told status once, and again where its amount has changed since; none that did not stand for the delay. */
function toldOf(history: readonly Moment[], { reported, delayMs }: Ground): string[] {
  const told: Moment[] = [];
  history.forEach((moment, i) => {
    if (!reported.includes(moment.status)) return;
    const left = history.slice(i + 1).find((m) => m.status !== moment.status);
    if (left && left.at < moment.at + delayMs) return;
    const before = told.filter((t) => t.status === moment.status).at(-1);
    if (!before || before.micros !== moment.micros || before.currency !== moment.currency) told.push(moment);
  });
  return told.map((t) => `${t.status} ${t.micros} ${t.currency}`);
}
