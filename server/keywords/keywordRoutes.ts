/** Lists of keywords of a desk. */
import { ulid } from 'ulid';
import { MAX_KEYWORD_LISTS, type KeywordList } from '@tracheon/core/contract';
import type { ApiGround } from '../http/ground.ts';
import type { Mount } from '../http/mount.ts';
import { Problem } from '../problems/problem.ts';

export function keywordRoutes(mount: Mount, { pool }: ApiGround): void {
  mount('listKeywords', async ({ signed: { deskId } }) => {
    const { rows } = await pool.query<KeywordList>(
      'SELECT id, name, words FROM keyword_lists WHERE desk_id = $1 ORDER BY lower(name)',
      [deskId],
    );
    return rows;
  });
  mount('saveKeywords', async ({ signed: { deskId, memberId }, body: { name, words } }) => {
    const { rows } = await pool.query<KeywordList>(
      `INSERT INTO keyword_lists (id, desk_id, name, words, saved_by)
       SELECT $1, $2, $3, $4, $5 WHERE (SELECT count(*) FROM keyword_lists WHERE desk_id = $2 AND lower(name) <> lower($3)) < ${MAX_KEYWORD_LISTS}
       ON CONFLICT (desk_id, lower(name)) DO UPDATE SET name = excluded.name, words = excluded.words, saved_by = excluded.saved_by, saved_at = now()
       RETURNING id, name, words`,
      [ulid(), deskId, name, JSON.stringify(words), memberId],
    );
    if (!rows[0])
      throw new Problem('invalid_input', {
        fields: [
          { path: 'name', message: `A desk keeps at most ${MAX_KEYWORD_LISTS} lists. Delete one first.` },
        ],
      });
    return rows[0];
  });
  mount('removeKeywords', async ({ signed: { deskId }, id }) => {
    const { rowCount } = await pool.query('DELETE FROM keyword_lists WHERE desk_id = $1 AND id = $2', [
      deskId,
      id,
    ]);
    if (rowCount === 0) throw new Problem('not_found');
    return {};
  });
}
