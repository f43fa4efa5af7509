/** Templates: those that come with the program, read from templates/ once, and those that members of the desk saved. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { col, fn, UniqueConstraintError } from 'sequelize';
import { ulid } from 'ulid';
import {
  partInputs,
  templateInput,
  templateKinds,
  type TemplateInput,
  type TemplateRow,
} from '@tracheon/core/contract';
import type { Models } from '../db/models.ts';
import { parseInput, Problem } from '../problems/problem.ts';
import type { Editor } from './partRecords.ts';

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

export async function listTemplates(models: Models, deskId: string): Promise<TemplateRow[]> {
  const rows = await models.Template.findAll({
    where: { deskId },
    order: [[fn('lower', col('title')), 'ASC']],
  });
  const own = rows.map((r) => {
    const { id, kind, title, category, about, body } = r.get();
    return { id, kind, title, category, about, body, format: 'tracheon-template', version: 1 } as TemplateRow;
  });
  return [...own, ...shippedTemplates()];
}

export async function saveTemplate(models: Models, by: Editor, raw: unknown): Promise<TemplateRow> {
  const template = checked(raw);
  const { kind, title, category, about, body } = template;
  const id = ulid();
  await models.Template.create({
    id,
    deskId: by.deskId,
    kind,
    title,
    category,
    about,
    body,
    createdBy: by.memberId,
  }).catch((error: unknown) => {
    if (error instanceof UniqueConstraintError)
      throw new Problem('name_taken', {
        fields: [{ path: 'title', message: 'Another template has this title.' }],
      });
    throw error;
  });
  return { ...template, id };
}

export async function removeTemplate(models: Models, deskId: string, id: string): Promise<void> {
  if ((await models.Template.destroy({ where: { deskId, id } })) === 0) throw new Problem('not_found');
}
