/** A member's decision on a finding: act on it, leave it, or undo what was done. */
import { watchInput, type WatchFinding } from '@tracheon/core/contract';
import { Problem } from '../problems/problem.ts';
import { actOn, undo, type Acts } from './watchActs.ts';
import { asFinding, FINDING, type FindingRow } from './watchStore.ts';

export type Decision = 'act' | 'leave' | 'undo';
/** From which states. Whoever decides second is told what has become of it. */
const from: Record<Decision, readonly FindingRow['state'][]> = {
  act: ['asked', 'put_off', 'left', 'failed', 'undone'],
  leave: ['asked', 'put_off', 'failed'],
  undo: ['done'],
};

export async function decideFinding(acts: Acts, id: string, decision: Decision): Promise<WatchFinding> {
  const { models, transaction, by } = acts;
  const rows = async <R>(sql: string, replacements: object): Promise<R[]> =>
    (await models.sequelize.query(sql, { replacements: { ...replacements }, transaction }))[0] as R[];
  const [found] = await rows<FindingRow & { body: object }>(
    `SELECT ${FINDING}, w.body FROM watch_findings f JOIN watches w ON w.id = f.watch_id
     WHERE f.desk_id = :deskId AND f.id = :id FOR UPDATE OF f`,
    { deskId: by.deskId, id },
  );
  if (!found) throw new Problem('not_found');
  const isOver = found.ended_at !== null && decision !== 'undo';
  if (isOver || !from[decision].includes(found.state)) throw new Problem('changed_meanwhile');
  const next = { state: 'left' as FindingRow['state'], why: '', did: found.did, actedAt: found.acted_at };
  if (decision === 'act') {
    const watch = { ...watchInput.parse(found.body), act: found.act };
    const { value, name, spent_micros: spentMicros } = found;
    const [acted] = await actOn(acts, watch, [
      { findingId: id, value, name, spentMicros, profitMicros: null },
    ]);
    next.why = acted!.why;
    if ('did' in acted!)
      Object.assign(next, { state: 'done', did: acted.did, actedAt: new Date(acts.nowMs) });
    else next.state = 'failed';
  } else if (decision === 'undo') {
    await undo(acts, found.did!);
    next.state = 'undone';
  }
  await rows(
    `UPDATE watch_findings SET state = :state, why = :why, did = :did::jsonb, acted_at = :actedAt, decided_by = :memberId WHERE id = :id`,
    { ...next, did: next.did === null ? null : JSON.stringify(next.did), id, memberId: by.memberId },
  );
  const [member] = await rows<{ name: string }>('SELECT name FROM members WHERE id = :id', {
    id: by.memberId,
  });
  return asFinding({ ...found, state: next.state, why: next.why, decided_by_name: member?.name ?? '' });
}
