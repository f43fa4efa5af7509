/** What each signal watch looks for, how often, and which trouble explains another one. */
import type { SignalKind } from '../contract/index.ts';

interface KindWords {
  label: string;
  /** What it looks for. */
  says: string;
  everyMinutes: number;
}
export const signalKindWords: Record<SignalKind, KindWords> = {
  server_trouble: {
    label: 'Server in trouble',
    says: 'The disk is almost full, rows wait on disk, or the database does not answer.',
    everyMinutes: 1,
  },
  domain_trouble: {
    label: 'Tracking domain in trouble',
    says: 'A tracking domain does not resolve or answer, or its certificate ends within 14 days.',
    everyMinutes: 5,
  },
  page_broken: {
    label: 'Landing page broken',
    says: 'The page does not answer, or its button or script is gone.',
    everyMinutes: 15,
  },
  offer_changed: {
    label: 'Offer page changed or gone',
    says: 'The offer leads to another host, answers another status, has another title, or sends visitors back to you.',
    everyMinutes: 60,
  },
  no_visits: {
    label: 'No visits',
    says: 'A campaign gets no visits at hours at which it usually does.',
    everyMinutes: 5,
  },
  no_postbacks: {
    label: 'No postbacks',
    says: 'An offer’s postbacks stay away, although at least five were to be expected by now.',
    everyMinutes: 5,
  },
  match_falls: {
    label: 'Fewer postbacks match',
    says: 'More of a network’s postbacks than before match no visit.',
    everyMinutes: 5,
  },
  new_word: {
    label: 'New status or event',
    says: 'A network sends a status or an event name that you have not mapped.',
    everyMinutes: 5,
  },
  approval_falls: {
    label: 'Approval rate falls',
    says: 'An offer’s conversions are approved more rarely than before.',
    everyMinutes: 5,
  },
  unfilled_macros: {
    label: 'Unfilled macros',
    says: 'A source sends a macro as it stands, in place of its value.',
    everyMinutes: 5,
  },
  sends_fail: {
    label: 'Postbacks to a source fail',
    says: 'A source refuses your postbacks, or does not answer them.',
    everyMinutes: 5,
  },
  paid_while_paused: {
    label: 'Paid visits to a paused campaign',
    says: 'Visits that cost money still arrive at a campaign that you paused.',
    everyMinutes: 5,
  },
  spend_runs: {
    label: 'Spend runs away',
    says: 'A campaign spends far more than it usually does at these hours.',
    everyMinutes: 5,
  },
  cap_near: {
    label: 'Cap almost reached',
    says: 'An offer has 90 % of the conversions that its cap allows.',
    everyMinutes: 5,
  },
  feed_trouble: {
    label: 'Feed in trouble',
    says: 'A feed fails, is late, or has changed the total of a day that was final.',
    everyMinutes: 5,
  },
};

/** What explains another trouble: while it goes on, that one gets no notice of its own. */
const causes: Partial<Record<SignalKind, readonly SignalKind[]>> = {
  no_visits: ['server_trouble', 'domain_trouble'],
  no_postbacks: ['server_trouble'],
};
export const isExplained = (kind: SignalKind, open: ReadonlySet<SignalKind>): boolean =>
  (causes[kind] ?? []).some((cause) => open.has(cause));
