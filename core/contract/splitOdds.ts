/** The odds of automatic splits, as the editor and scripts read them. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { isoTime } from './primitives.ts';

export const splitOddsRow = z.object({
  /** ID of the branch; `otherwise` for all other visitors. */
  wayId: z.string(),
  computedAt: isoTime,
  /** During warm-up the split is even. */
  state: z.enum(['warm_up', 'learned']),
  /** Draws that the odds come from; 0 during warm-up. */
  draws: z.int(),
  arms: z.array(
    z.object({
      pairingId: z.string(),
      /** Of the last 30 days, each counted by the share of conversions that arrive by its age. */
      visits: z.number(),
      conversions: z.int(),
      /** Expected revenue in micros of the desk’s currency. */
      expectedMicros: z.number(),
      /** How often the pairing is drawn, from 0 to 1. */
      odds: z.number(),
      /** How likely it earns most per visit, from 0 to 1; null during warm-up. */
      chanceOfBest: z.number().nullable(),
    }),
  ),
});
export type SplitOddsRow = z.infer<typeof splitOddsRow>;

export const splitOddsEndpoints = {
  splitOdds: {
    method: 'get',
    path: '/campaigns/{id}/odds',
    group: 'Reports',
    summary: 'The odds of a campaign’s automatic splits, and the numbers behind them.',
    least: 'viewer',
    answer: z.array(splitOddsRow),
  },
} as const satisfies Record<string, Endpoint>;
