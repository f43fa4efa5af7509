/** Views of Numbers that a desk keeps: shared by its members, one for each name, unknown to other desks. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { MAX_VIEWS, type ViewRow } from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';

let desk: SharedDesk;
beforeAll(async () => {
  desk = await makeDesk();
});
afterAll(() => desk.close());
const save = (name: string, query = 'by=sub_site&period=7d') =>
  desk.owner.post<ViewRow>('/views', { name, query });
const names = async (): Promise<string[]> =>
  (await desk.owner.get<ViewRow[]>('/views')).body.map((v) => v.name);

it('are saved, replaced by name in any case, listed by name, and deleted', async () => {
  await save('Sites by day part');
  await save('a first one');
  const again = await save('SITES BY DAY PART', 'by=country');
  expect(again.body).toMatchObject({ name: 'SITES BY DAY PART', query: 'by=country' });
  expect(again.body.by).not.toBe('');
  expect(await names()).toEqual(['a first one', 'SITES BY DAY PART']);
  const both = await Promise.all([save('at once', 'by=os'), save('At once', 'by=city')]);
  expect(both.map((b) => b.status)).toEqual([200, 200]);
  expect(await names()).toHaveLength(3);
  const viewer = await desk.member('viewer');
  expect((await viewer.get<ViewRow[]>('/views')).body).toHaveLength(3);
  expect((await desk.owner.remove(`/views/${again.body.id}`)).status).toBe(200);
  expect((await desk.owner.remove(`/views/${again.body.id}`)).status).toBe(404);
});

it('of another desk are not there', async () => {
  const [mine] = (await desk.owner.get<ViewRow[]>('/views')).body;
  const other = await makeDesk();
  expect((await other.owner.get<ViewRow[]>('/views')).body).toEqual([]);
  expect((await other.owner.remove(`/views/${mine!.id}`)).status).toBe(404);
  await other.close();
});

it('are refused without a name, with an endless query, and when there are too many', async () => {
  expect((await save(' ')).status).toBe(422);
  expect((await save('long', 'x'.repeat(9000))).status).toBe(422);
  await desk.pool.query(
    `INSERT INTO saved_views (id, desk_id, name, query, saved_by, saved_at)
     SELECT 'filler-' || n, $1, 'filler ' || n, 'by=os', '', now() FROM generate_series(1, $2::int) n`,
    [desk.deskId, MAX_VIEWS],
  );
  expect((await save('one more')).body).toMatchObject({ fields: [{ path: 'name' }] });
  expect((await save('filler 7', 'by=isp')).status).toBe(422);
});
