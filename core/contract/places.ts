/** The operator's own files that tell where visitors are. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';

export const placeFile = z.object({
  name: z.string(),
  /** As the file calls itself; empty when it could not be read. */
  type: z.string(),
  builtAt: z.string().nullable(),
  /** Why it is not in use, or an older version of it; empty when nothing is wrong. */
  trouble: z.string(),
});
export type PlaceFile = z.infer<typeof placeFile>;
export const placeFiles = z.object({
  files: z.array(placeFile),
  /** What a file's licence asks to be shown. */
  notice: z.string(),
});

export const placeEndpoints = {
  placeFiles: {
    method: 'get',
    path: '/place-files',
    group: 'Desk',
    summary: 'Files that tell region, city, internet provider and connection of visitors.',
    least: 'viewer',
    answer: placeFiles,
  },
} as const satisfies Record<string, Endpoint>;
