/** Templates: those that come with the program, read from templates/ once, and those that members of the desk saved. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Pool } from 'pg';
import { ulid } from 'ulid';
import {
  partInputs,
  templateInput,
  templateKinds,
  type TemplateInput,
  type TemplateRow,
} from '@tracheon/core/contract';
import { parseInput, Problem } from '../problems/problem.ts';
import type { Editor } from './partsStore.ts';

/** The same from the sources and from the bundled program, which lies as deep. */
const FOLDER = fileURLToPath(new URL('../../templates', import.meta.url));
let shipped: TemplateRow[] | null = null;

/** Throws at the first use when a file is no template: it is part of the program. */
export function shippedTemplates(): TemplateRow[] {
  shipped ??= templateKinds.flatMap((kind) =>
    readdirSync(join(FOLDER, `${kind}s`))
      .filter((name) => name.endsWith('.json'))
      .sort()
      .map((name) => {
        const raw = JSON.parse(readFileSync(join(FOLDER, `${kind}s`, name), 'utf8')) as unknown;
        return { ...checked(raw), id: '' as const };
      }),
  );
  return shipped;
}

/** A template whose body its kind's schema takes. */
function checked(raw: unknown): Omit<TemplateInput, '$schema'> {
  const { kind, title, category, about, format, version, body } = parseInput(templateInput, raw);
  const template = { format, version, kind, title, category, about, body };
  parseInput(partInputs[template.kind], template.body);
  return template;
}

export async function listTemplates(pool: Pool, deskId: string): Promise<TemplateRow[]> {
  const { rows } = await pool.query<
    Pick<TemplateRow, 'id' | 'kind' | 'title' | 'category' | 'about' | 'body'>
  >('SELECT id, kind, title, category, about, body FROM templates WHERE desk_id = $1 ORDER BY lower(title)', [
    deskId,
  ]);
  const own = rows.map((r) => ({ ...r, format: 'tracheon-template' as const, version: 1 as const }));
  return [...own, ...shippedTemplates()];
}

export async function saveTemplate(pool: Pool, by: Editor, raw: unknown): Promise<TemplateRow> {
  const template = checked(raw);
  const id = ulid();
  const { rowCount } = await pool.query(
    `INSERT INTO templates (id, desk_id, kind, title, category, about, body, created_by)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
     ON CONFLICT DO NOTHING`,
    [
      id,
      by.deskId,
      template.kind,
      template.title,
      template.category,
      template.about,
      JSON.stringify(template.body),
      by.memberId,
    ],
  );
  if (rowCount === 0)
    throw new Problem('name_taken', {
      fields: [{ path: 'title', message: 'Another template has this title.' }],
    });
  return { ...template, id };
}

export async function removeTemplate(pool: Pool, deskId: string, id: string): Promise<void> {
  const { rowCount } = await pool.query('DELETE FROM templates WHERE desk_id = $1 AND id = $2', [deskId, id]);
  if (rowCount === 0) throw new Problem('not_found');
}
