/** Links that would lead visitors back into the desk's own tracking domains: refused when they are saved, by whatever way. */
import type { PartKind } from '@tracheon/core/contract';
import { isOurs } from '@tracheon/core/links';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';
import { listDomains } from './domainStore.ts';

/** Where visitors are sent from a record of this kind. */
const LINKS: Partial<Record<PartKind, readonly string[]>> = {
  offer: ['link', 'fallbackUrl'],
  'landing-page': ['url', 'fallbackUrl'],
  campaign: ['fallbackUrl'],
};

export const linksOf = (kind: PartKind, body: unknown): [path: string, link: string][] =>
  (LINKS[kind] ?? []).flatMap((path) => {
    const link = (body as Record<string, unknown> | null)?.[path];
    return typeof link === 'string' && link !== '' ? [[path, link] as [string, string]] : [];
  });

/** `listening` is the origin of the server's own tracking listener. */
export async function refuseOwnLinks(
  models: Models,
  deskId: string,
  listening: string,
  links: readonly (readonly [path: string, link: string])[],
): Promise<void> {
  if (links.length === 0) return;
  const own = [listening, ...(await listDomains(models, deskId, listening)).map((d) => d.origin)];
  const fields = links
    .filter(([, link]) => isOurs(link, own))
    .map(([path]) => ({
      path,
      message: 'This link points to your own tracking domain, so visitors would go in circles.',
    }));
  if (fields.length > 0) throw new Problem('invalid_input', { fields });
}
