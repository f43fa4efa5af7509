/** When signal watches look. Each look is of one desk; a desk that fails does not keep the others. */
import type { Pool } from 'pg';
import type { SignalKind } from '@tracheon/core/contract';
import { signalKindWords } from '@tracheon/core/signalWatches';
import type { Models } from '../db/models.ts';
import type { ScheduledJob } from '../jobs/job.ts';
import type { AsksNumbers } from '../watches/askWatch.ts';
import { figureKinds, figureSignals, type DeskAsked } from './figureSignals.ts';
import { brokenPages, changedOffers, domainsInTrouble, type LookGround } from './lookSignals.ts';
import { moneyKinds, moneySignals } from './moneySignals.ts';
import { postbackKinds, postbackSignals } from './postbackSignals.ts';
import { reconcile, type FoundSignal } from './reconcile.ts';
import type { ServerTrouble } from './serverTrouble.ts';
import { dropOldSignals } from './signalStore.ts';
import { visitKinds, visitSignals } from './visitSignals.ts';

export interface SignalDeps extends Omit<LookGround, 'nowMs'> {
  pool: Pool;
  models: Models;
  ask: AsksNumbers;
  waiting: () => Promise<number>;
  server: ServerTrouble;
  now: () => number;
  tell: (deskId: string) => void;
  onTrouble: (what: string, error: unknown) => void;
}
/** null: it could not be looked at now; what was found before stays. */
type Look = (deps: SignalDeps, desk: DeskAsked, nowMs: number) => Promise<FoundSignal[] | null>;

const often: [kinds: readonly SignalKind[], look: Look][] = [
  [figureKinds, ({ pool, ask, waiting }, desk, nowMs) => figureSignals({ pool, ask, waiting, nowMs }, desk)],
  [postbackKinds, ({ pool }, desk, nowMs) => postbackSignals(pool, desk.id, nowMs)],
  [visitKinds, ({ pool }, desk, nowMs) => visitSignals(pool, desk.id, nowMs)],
  [moneyKinds, ({ pool }, desk, nowMs) => moneySignals(pool, desk, nowMs)],
  [['domain_trouble'], (deps, desk, nowMs) => domainsInTrouble({ ...deps, nowMs }, desk.id)],
];
const server: typeof often = [[['server_trouble'], ({ server: own }, _, nowMs) => own.look(nowMs)]];
const pages: typeof often = [
  [['page_broken'], (deps, desk, nowMs) => brokenPages({ ...deps, nowMs }, desk.id)],
];
const offers: typeof often = [
  [['offer_changed'], (deps, desk, nowMs) => changedOffers({ ...deps, nowMs }, desk.id)],
];
export const signalLooks = { often, server, pages, offers };

export async function lookForSignals(deps: SignalDeps, looks: typeof often): Promise<void> {
  const { rows } = await deps.pool.query<DeskAsked>('SELECT id, zone, currency FROM desks ORDER BY id');
  for (const desk of rows) await lookAtDesk(deps, desk, looks);
}

async function lookAtDesk(deps: SignalDeps, desk: DeskAsked, looks: typeof often): Promise<void> {
  for (const [kinds, look] of looks) {
    try {
      const nowMs = deps.now();
      const found = await look(deps, desk, nowMs);
      if (found && (await reconcile(deps.models, desk.id, kinds, found, nowMs))) deps.tell(desk.id);
    } catch (error) {
      deps.onTrouble(kinds.join(', '), error);
    }
  }
}

/** Looks that were asked for and are under way; `again`: it was asked for once more meanwhile. */
const running = new Map<string, { again: boolean }>();
/**
 * Lets one kind look now, beside its turns. Where it is looking already it looks once more after that: the look that is under
 * way may have seen how things were before.
 */
export async function lookNow(deps: SignalDeps, deskId: string, kind: SignalKind): Promise<void> {
  const looks = [...often, ...server, ...pages, ...offers].filter(([kinds]) => kinds.includes(kind));
  const key = `${deskId} ${looks[0]![0].join()}`;
  const underWay = running.get(key);
  if (underWay) {
    underWay.again = true;
    return;
  }
  const look = { again: false };
  running.set(key, look);
  try {
    do {
      look.again = false;
      const { rows } = await deps.pool.query<DeskAsked>(
        'SELECT id, zone, currency FROM desks WHERE id = $1',
        [deskId],
      );
      for (const desk of rows) await lookAtDesk(deps, desk, looks);
      deps.tell(deskId);
    } while (look.again);
  } finally {
    running.delete(key);
  }
}

/** As the screen says; those that are looked at together have the same turns. */
function turnsOf(looks: typeof often): string {
  const [minutes, ...others] = new Set(
    looks.flatMap(([kinds]) => kinds.map((k) => signalKindWords[k].everyMinutes)),
  );
  if (minutes === undefined || others.length > 0) throw new Error('looks of one job have different turns');
  if (minutes === 60) return '17 * * * *';
  return minutes === 1 ? '* * * * *' : `*/${minutes} * * * *`;
}

export const signalScheduled = (deps: SignalDeps): ScheduledJob[] => [
  { name: 'look-at-server', cron: turnsOf(server), run: () => lookForSignals(deps, server) },
  { name: 'look-for-signals', cron: turnsOf(often), run: () => lookForSignals(deps, often) },
  { name: 'look-at-pages', cron: turnsOf(pages), run: () => lookForSignals(deps, pages) },
  { name: 'look-at-offers', cron: turnsOf(offers), run: () => lookForSignals(deps, offers) },
  { name: 'drop-old-signals', cron: '41 3 * * *', run: () => dropOldSignals(deps.pool, deps.now()) },
];
