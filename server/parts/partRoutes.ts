/** Records of Parts, and campaigns. */
import type { PartKind, PartRecord, Role } from '@tracheon/core/contract';
import { linksOf, refuseOwnLinks } from '../domains/ownLinks.ts';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import type { Signed } from '../http/security.ts';
import { secretOf } from '../intake/callerProof.ts';
import { Problem } from '../problems/problem.ts';
import { asSeenBy, findPart, listParts, nameIsFree } from './partRecords.ts';
import { createPart, rotateKey, setState, updatePart } from './partsStore.ts';
import { exportParts, importParts } from './portable.ts';
import { usedBy } from './references.ts';
import { listTemplates, removeTemplate, saveTemplate } from './templates.ts';
import { listVersions, recentChanges, restoreVersion } from './versions.ts';

export function partRoutes(mount: Mount, deps: ApiGround): void {
  const { models, news, config } = deps;
  const seen = (role: Role) => asSeenBy(role, (key) => secretOf(config.secret, key));
  fileRoutes(mount, deps);
  const changed = (record: PartRecord, signed: Signed): PartRecord => {
    news.tell(signed.deskId, 'parts');
    return seen(signed.role)(record);
  };
  mount('listParts', async ({ signed }) => (await listParts(models, signed.deskId)).map(seen(signed.role)));
  mount('listKind', async ({ signed, kind }) =>
    (await listParts(models, signed.deskId, kind)).map(seen(signed.role)),
  );
  // Before the record of an ID: express takes the first that fits.
  mount('nameFree', async ({ signed, kind, query }) => ({
    free: await nameIsFree(models, signed.deskId, kind, query.name, query.except),
  }));
  const noCircles = (deskId: string, kind: PartKind, body: unknown): Promise<void> =>
    refuseOwnLinks(models, deskId, config.tracking.origin, linksOf(kind, body));
  mount('createPart', async ({ signed, kind, body }) => {
    await noCircles(signed.deskId, kind, body);
    return changed(await createPart(models, signed, kind, body), signed);
  });
  mount('part', async ({ signed, kind, id }) =>
    seen(signed.role)(await findPart(models, signed.deskId, kind, id)),
  );
  mount('changePart', async ({ signed, kind, id, body, ifMatch }) => {
    const version = ifMatch === null ? body.version : versionOf(ifMatch);
    if (version === undefined) throw new Problem('version_needed');
    await noCircles(signed.deskId, kind, body.body);
    const saving = updatePart(models, signed, kind, id, version, body.body);
    return changed(await (ifMatch === null ? saving : saving.catch(asPrecondition)), signed);
  });
  mount('setPartState', async ({ signed, kind, id, body, ifMatch }) => {
    const version = ifMatch === null ? null : versionOf(ifMatch);
    const saving = setState(models, signed, kind, id, body.state, version).catch(asPrecondition);
    return changed(await saving, signed);
  });
  mount('listVersions', ({ signed, kind, id }) => listVersions(models, signed.deskId, kind, id));
  mount('recentChanges', ({ signed: { deskId }, query }) => recentChanges(deps.pool, deskId, query.kind));
  mount('restoreVersion', async ({ signed, kind, id, body }) =>
    changed(await restoreVersion(models, signed, kind, id, body.to, body.version), signed),
  );
  mount('rotateKey', async ({ signed, kind, id, body }) =>
    changed(await rotateKey(models, signed, kind, id, body.overlapDays), signed),
  );
  mount('networkSecret', async ({ signed: { deskId }, id }) => {
    const { key } = await findPart(models, deskId, 'network', id);
    return { secret: secretOf(config.secret, key) };
  });
  mount('usedBy', async ({ signed: { deskId }, kind, id }) => {
    await findPart(models, deskId, kind, id);
    return usedBy(models, deskId, id);
  });
}

/** Records as files, and templates. */
function fileRoutes(mount: Mount, { models, news }: ApiGround): void {
  mount('exportParts', ({ signed, body }) => exportParts(models, signed.deskId, body.ids));
  mount('importParts', async ({ signed, body }) => {
    const answer = await importParts(models, signed, body.file, body.existing, body.dryRun);
    if (answer.done) news.tell(signed.deskId, 'parts');
    return answer;
  });
  mount('listTemplates', ({ signed }) => listTemplates(models, signed.deskId));
  mount('saveTemplate', ({ signed, body }) => saveTemplate(models, signed, body));
  mount('removeTemplate', async ({ signed, id }) => {
    await removeTemplate(models, signed.deskId, id);
    return {};
  });
}

/** An ETag that is none of ours names a version that no record has. */
const versionOf = (etag: string): number => Number(/^v(\d{1,9})$/.exec(etag)?.[1] ?? 0);

function asPrecondition(error: unknown): never {
  if (error instanceof Problem && error.code === 'changed_meanwhile')
    throw new Problem('precondition_failed', error.more);
  throw error;
}
