/** Which configuration each running server answers visits from. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';

export const runningConfiguration = z.object({
  /** Rises with every change of the desk's records. */
  version: z.number(),
  changedAt: z.string(),
  /** Every running server answers from this version. */
  isLive: z.boolean(),
  servers: z.array(
    z.object({
      /** Host and process number */
      name: z.string(),
      startedAt: z.string(),
      seenAt: z.string(),
      /** null: it has not loaded this desk yet. */
      version: z.number().nullable(),
      /** Why it could not load the newest version; empty when nothing is wrong. */
      trouble: z.string(),
    }),
  ),
});
export type RunningConfiguration = z.infer<typeof runningConfiguration>;

export const configurationEndpoints = {
  configuration: {
    method: 'get',
    path: '/configuration',
    group: 'Desk',
    summary: 'The version of the desk’s configuration, and which running servers use it.',
    least: 'viewer',
    answer: runningConfiguration,
  },
} as const satisfies Record<string, Endpoint>;
