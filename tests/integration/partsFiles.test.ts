/** Records of Parts as files, as templates, and as they once were. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type {
  ImportAnswer,
  PartRecord,
  PartVersion,
  PortableFile,
  Problem,
  TemplateRow,
} from '@tracheon/core/contract';
import { makeDesk, type SharedDesk } from './sharedDesk.ts';
import { type Chain } from './testDesk.ts';

let desk: SharedDesk;
let chain: Chain;
beforeAll(async () => {
  desk = await makeDesk();
  const upsell = await desk.make('event-type', { name: 'Upsell', word: 'upsell' });
  const second = await desk.chain();
  const page = await desk.make('landing-page', { name: 'Story', url: 'https://pages.example/story' });
  chain = await desk.chain({
    network: { eventWords: [{ word: 'extra', eventTypeId: upsell.id }] },
    source: { reportEvents: [upsell.id] },
    offer: {
      fallbackOfferId: second.offer.id,
      payouts: [{ eventTypeId: upsell.id, amountMicros: '1000000' }],
    },
    campaign: { name: 'Whole', landingPageId: page.id },
  });
});
afterAll(() => desk.close());

const records = async (): Promise<PartRecord[]> => (await desk.owner.get<PartRecord[]>('/parts')).body;
const exported = async (ids?: string[]): Promise<PortableFile> =>
  (await desk.owner.post<PortableFile>('/parts-export', { ids: ids ?? (await records()).map((r) => r.id) }))
    .body;
const take = (file: unknown, more: object = { dryRun: false }) =>
  desk.owner.post<ImportAnswer & Problem>('/parts-import', { file, ...more });
/** Another name for everything in a file, and for what refers to it. */
const renamed = (file: PortableFile, mark: string): PortableFile => {
  const names = file.parts.map((p) => p.body.name);
  const text = JSON.stringify(file, (_key, value: unknown) =>
    typeof value === 'string' && names.includes(value) ? `${value} ${mark}` : value,
  );
  // Words on the wire are unique as well.
  return JSON.parse(text.replaceAll(/"word":"(\w+)"/g, `"word":"$1${mark}"`)) as PortableFile;
};

describe('a file of records', () => {
  it('has names for IDs, and no ID of this desk anywhere', async () => {
    const file = await exported();
    expect(file.parts.length).toBeGreaterThan(8);
    const text = JSON.stringify(file);
    for (const r of await records()) expect(text).not.toContain(r.id);
    const offer = file.parts.find((p) => p.body.name === chain.offer.body.name)!;
    expect(offer.body).toMatchObject({
      networkId: chain.network.body.name,
      payouts: [{ eventTypeId: 'Upsell' }],
    });
  });

  it('is read whole: what comes back out is what went in, in whatever order it stands', async () => {
    const file = renamed(await exported(), 'B');
    const before = (await records()).length;
    const looked = await take({ ...file, parts: [...file.parts].reverse() }, { dryRun: true });
    expect([looked.body.done, looked.body.rows.every((r) => r.action === 'create')]).toEqual([false, true]);
    expect((await records()).length).toBe(before);
    const made = await take({ ...file, parts: [...file.parts].reverse() });
    expect(made.body.done).toBe(true);
    const now = await records();
    expect(now.length).toBe(before * 2);
    const again = await exported(now.filter((r) => r.body.name.endsWith(' B')).map((r) => r.id));
    const sorted = (f: PortableFile) =>
      [...f.parts].sort((a, b) => (a.kind + a.body.name < b.kind + b.body.name ? -1 : 1));
    expect(sorted(again)).toEqual(sorted(file));
  });

  it('is all or nothing: one bad row, and none is made; each says why', async () => {
    const before = (await records()).length;
    const file: PortableFile = {
      format: 'tracheon-parts',
      version: 1,
      parts: [
        { kind: 'event-type', body: { name: 'Trial', word: 'trial' } },
        { kind: 'source', body: { name: 'Twice', macroStyle: '[x]' } },
        { kind: 'source', body: { name: 'twice ', macroStyle: '[x]' } },
        { kind: 'source', body: { name: chain.source.body.name } },
        { kind: 'offer', body: { name: 'No network', networkId: 'Nobody', link: 'https://o.example/' } },
        {
          kind: 'offer',
          body: { name: 'Bad link', networkId: chain.network.body.name, link: 'ftp://o.example/' },
        },
        { kind: 'landing-page', body: { name: 'Odd', url: 'https://p.example/', colour: 'blue' } },
      ],
    };
    const { rows, done } = (await take(file)).body;
    expect(done).toBe(false);
    expect(rows.map((r) => [r.name, r.action, r.errors[0]?.path ?? ''])).toEqual([
      ['Trial', 'create', ''],
      ['Twice', 'create', ''],
      ['twice ', 'refused', 'name'],
      [chain.source.body.name, 'refused', 'name'],
      ['No network', 'refused', 'networkId'],
      ['Bad link', 'refused', 'link'],
      ['Odd', 'create', ''],
    ]);
    expect(rows[6]!.unread).toEqual(['colour']);
    expect((await records()).length).toBe(before);
    const skipping = (
      await take({ ...file, parts: [file.parts[3]!, file.parts[0]!] }, { dryRun: false, existing: 'skip' })
    ).body;
    expect(skipping.rows.map((r) => r.action)).toEqual(['skip', 'create']);
    expect((await records()).length).toBe(before + 1);
  });

  it('of a newer version, of another kind, or far too large is refused as a whole', async () => {
    const newer = await take({ format: 'tracheon-parts', version: 2, parts: [] });
    expect([newer.status, newer.body.fields![0]!.message]).toEqual([
      422,
      'This file was made by a newer version of Tracheon.',
    ]);
    expect((await take({ format: 'something', version: 1, parts: [] })).status).toBe(422);
    expect((await take('text')).status).toBe(422);
    const huge = await take({
      format: 'tracheon-parts',
      version: 1,
      parts: [],
      note: 'x'.repeat(5 * 1024 * 1024),
    });
    expect([huge.status, huge.body.code]).toEqual([413, 'body_too_large']);
  });
});

describe('templates', () => {
  it('come with the program, and of one’s own beside them', async () => {
    const shipped = (await desk.owner.get<TemplateRow[]>('/templates')).body;
    expect(shipped.filter((t) => t.kind === 'source').length).toBeGreaterThanOrEqual(8);
    const own = {
      format: 'tracheon-template',
      version: 1,
      kind: 'network',
      title: 'Ours',
      about: 'As we set it up.',
      body: chain.network.body,
    };
    const saved = await desk.owner.post<TemplateRow>('/templates', own);
    expect(saved.status).toBe(201);
    const listed = (await desk.owner.get<TemplateRow[]>('/templates')).body;
    expect([listed[0]!.title, listed.length]).toEqual(['Ours', shipped.length + 1]);
    const again = await desk.owner.post<Problem>('/templates', { ...own, title: 'OURS' });
    expect(again.body.code).toBe('name_taken');
    expect((await desk.owner.post<Problem>('/templates', { ...own, version: 2 })).status).toBe(422);
    expect(
      (await desk.owner.post<Problem>('/templates', { ...own, title: 'X', body: { name: 'X', fields: 7 } }))
        .status,
    ).toBe(422);
    expect((await desk.owner.ask('DELETE', `/templates/${saved.body.id}`)).status).toBe(200);
    expect((await desk.owner.get<TemplateRow[]>('/templates')).body).toEqual(shipped);
  });

  it('make records that the desk takes', async () => {
    for (const t of (await desk.owner.get<TemplateRow[]>('/templates')).body)
      await desk.make(t.kind, { ...t.body, name: `${t.title} from its template` });
  });
});

describe('the past of a record', () => {
  it('is every version with who and when, and any of them can be brought back', async () => {
    const editor = await desk.member('editor');
    const { id, body } = chain.offer;
    await editor.put(`/parts/offer/${id}`, { version: 1, body: { ...body, notes: 'second' } });
    await desk.owner.put(`/parts/offer/${id}`, {
      version: 2,
      body: { ...body, name: 'Renamed', notes: 'third' },
    });
    const versions = (await desk.owner.get<PartVersion[]>(`/parts/offer/${id}/versions`)).body;
    expect(versions.map((v) => [v.version, v.changedBy, v.body.notes])).toEqual([
      [3, 'Owner', 'third'],
      [2, 'editor', 'second'],
      [1, 'Owner', ''],
    ]);
    const stale = await desk.owner.post<Problem>(`/parts/offer/${id}/restore`, { to: 1, version: 2 });
    expect(stale.body.code).toBe('changed_meanwhile');
    const back = await desk.owner.post<PartRecord>(`/parts/offer/${id}/restore`, { to: 1, version: 3 });
    expect([back.body.version, back.body.body]).toEqual([4, body]);
    expect(
      (await desk.owner.post<Problem>(`/parts/offer/${id}/restore`, { to: 99, version: 4 })).status,
    ).toBe(404);
  });
});
