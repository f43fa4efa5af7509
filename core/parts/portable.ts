/** Parts on the move: records whose references are names instead of IDs. */
import {
  partInputs,
  PORTABLE_VERSION,
  type PartBodies,
  type PartKind,
  type PartRecord,
  type PortableFile,
  type PortablePart,
} from '../contract/index.ts';
import { replaceReferences } from './relations.ts';

/** Records with names for IDs; a reference to what is not among `all` stays empty. */
export function toPortable(records: readonly PartRecord[], all: readonly PartRecord[]): PortableFile {
  const names = new Map(all.map((p) => [p.id, p.body.name]));
  return {
    format: 'tracheon-parts',
    version: PORTABLE_VERSION,
    parts: records.map((r) => ({
      kind: r.kind,
      body: alone(
        r.kind,
        replaceReferences(r.kind, r.body, (id) => names.get(id) ?? ''),
      ) as PortablePart['body'],
    })),
  };
}

/**
 * A campaign leaves with a routing of its own: what it shares, and with whom, is an affair of its desk. So are secrets: headers
 * with one stay behind.
 */
function alone(kind: PartKind, body: Record<string, unknown>): Record<string, unknown> {
  if (kind === 'campaign') return { ...body, sharedRoutingId: '' };
  if (kind !== 'source') return body;
  const headers = (body.postbackHeaders ?? []) as PartBodies['source']['postbackHeaders'];
  return { ...body, postbackHeaders: headers.filter((h) => h.secretId === '') };
}

/** Top-level fields that this kind does not have: a typing mistake, or from a newer version. */
export const unknownFields = (kind: PartKind, body: object): string[] =>
  Object.keys(body).filter((key) => !(key in partInputs[kind].shape));
