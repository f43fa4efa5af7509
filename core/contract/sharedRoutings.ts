/** Routings that several campaigns share. */
import { z } from 'zod';
import type { Endpoint } from './endpoint.ts';
import { nothing } from './endpoint.ts';
import { recordId, recordName } from './primitives.ts';
import { routing } from './routing.ts';

export const sharedRoutingRow = z.object({
  id: recordId,
  name: z.string(),
  routing,
  /** Campaigns that use it, archived ones left out. */
  campaigns: z.array(z.object({ id: recordId, name: z.string() })),
});
export type SharedRoutingRow = z.infer<typeof sharedRoutingRow>;

export const sharedRoutingEndpoints = {
  listSharedRoutings: {
    method: 'get',
    path: '/shared-routings',
    group: 'Parts',
    summary: 'Routings that several campaigns share, by name.',
    least: 'viewer',
    answer: z.array(sharedRoutingRow),
  },
  shareRouting: {
    method: 'post',
    path: '/shared-routings',
    group: 'Parts',
    summary:
      'Make a campaign’s routing a shared one. Other campaigns use it by its ID in sharedRoutingId; a change in one of them changes all.',
    least: 'editor',
    body: z.object({ name: recordName, campaignId: recordId }),
    answer: sharedRoutingRow,
    status: 201,
    refuses: ['not_found', 'name_taken'],
  },
  renameSharedRouting: {
    method: 'put',
    path: '/shared-routings/{id}',
    group: 'Parts',
    summary: 'Rename a shared routing.',
    least: 'editor',
    body: z.object({ name: recordName }),
    answer: sharedRoutingRow,
    refuses: ['not_found', 'name_taken'],
  },
  removeSharedRouting: {
    method: 'delete',
    path: '/shared-routings/{id}',
    group: 'Parts',
    summary: 'Delete a shared routing that no campaign uses.',
    least: 'editor',
    answer: nothing,
    refuses: ['not_found', 'still_in_use'],
  },
} as const satisfies Record<string, Endpoint>;
