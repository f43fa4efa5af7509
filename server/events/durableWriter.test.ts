import { describe, expect, it } from '@jest/globals';
import { DurableWriter, NotDurable } from './durableWriter.ts';
import { RowRefused, WriterUnavailable } from './eventWriter.ts';

const never = new Promise<void>(() => undefined);
function open(commit: () => Promise<void>, spoolWorks = true, quarantineWorks = true) {
  const went = { spool: [] as number[], quarantine: [] as string[] };
  const writer = new DurableWriter<number>(
    {
      add: (_rows, settle) => void commit().then(() => settle(null), settle),
      close: () => Promise.resolve(),
    },
    {
      append: (row) =>
        spoolWorks ? Promise.resolve(void went.spool.push(row)) : Promise.reject(new Error('disk full')),
      close: () => Promise.resolve(),
    },
    (row, why) =>
      quarantineWorks
        ? Promise.resolve(void went.quarantine.push(`${row} ${why}`))
        : Promise.reject(new Error('away')),
    150,
  );
  return { writer, went };
}

describe('rows that belong together', () => {
  it('are committed together, or wait in the spool together', async () => {
    const good = open(() => Promise.resolve());
    expect(await good.writer.keepTogether([1, 2])).toEqual(['committed', 'committed']);
    const away = open(() => Promise.reject(new WriterUnavailable('away')));
    expect([await away.writer.keepTogether([1, 2]), away.went.spool]).toEqual([
      ['spooled', 'spooled'],
      [1, 2],
    ]);
    const nowhere = open(() => Promise.reject(new WriterUnavailable('away')), false);
    await expect(nowhere.writer.keepTogether([1, 2])).rejects.toBeInstanceOf(NotDurable);
  });
  it('are kept each by itself when one of them is refused', async () => {
    let asked = 0;
    const { writer, went } = open(() => {
      asked += 1;
      return asked === 3 ? Promise.resolve() : Promise.reject(new RowRefused('22021'));
    });
    expect(await writer.keepTogether([1, 2])).toEqual(['quarantined', 'committed']);
    expect(went.quarantine).toEqual(['1 22021']);
  });
});

describe('a row', () => {
  it('is committed, and then nowhere else', async () => {
    const { writer, went } = open(() => Promise.resolve());
    expect([await writer.keep(1), went.spool]).toEqual(['committed', []]);
  });
  it('goes to the spool when the database fails, and when it does not answer in time', async () => {
    const failing = open(() => Promise.reject(new WriterUnavailable('away')));
    expect([await failing.writer.keep(1), failing.went.spool]).toEqual(['spooled', [1]]);
    const silent = open(() => never);
    expect([await silent.writer.keep(2), silent.went.spool]).toEqual(['spooled', [2]]);
  });
  it('that the database will never take is put aside with the reason', async () => {
    const { writer, went } = open(() => Promise.reject(new RowRefused('22021')));
    expect([await writer.keep(1), went.quarantine, went.spool]).toEqual(['quarantined', ['1 22021'], []]);
  });
  it('that cannot even be put aside waits in the spool', async () => {
    const { writer, went } = open(() => Promise.reject(new RowRefused('22021')), true, false);
    expect([await writer.keep(1), went.spool]).toEqual(['spooled', [1]]);
  });
  it('that neither takes is not acknowledged', async () => {
    const { writer } = open(() => Promise.reject(new WriterUnavailable('away')), false);
    await expect(writer.keep(1)).rejects.toBeInstanceOf(NotDurable);
  });
});
