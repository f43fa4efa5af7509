import { expect, it } from '@jest/globals';
import { DatabaseError } from 'sequelize';
import { OncePerMinute } from '../limits/oncePerMinute.ts';
import { makeLogger } from './logger.ts';

const lines: string[] = [];
const log = makeLogger('info', { write: (line) => void lines.push(line) });

it('leaves out what a failed statement was asked with, quoted values, and tokens', () => {
  const parent = Object.assign(new Error('invalid input syntax for type integer: "mira@desk.test"'), {
    sql: `SELECT * FROM members WHERE password_hash = 'scrypt$secret'`,
    code: '22P02',
    detail: 'Key (email)=(mira@desk.test) already exists.',
    table: 'members',
    parameters: ['scrypt$secret'],
  });
  const err = new DatabaseError(parent, {});
  log.error({ err }, 'request failed');
  log.error({
    err: Object.assign(new Error('bad token tracheon_abcdefghijkmnpqrstuvwxyz23456789'), {
      config: { x: 1 },
    }),
  });
  const text = lines.join('');
  for (const trace of ['scrypt', 'mira', 'SELECT', 'abcdefghijkm', 'config'])
    expect([trace, text.includes(trace)]).toEqual([trace, false]);
  expect(JSON.parse(lines[0]!)).toMatchObject({
    msg: 'request failed',
    err: {
      type: 'SequelizeDatabaseError',
      code: '22P02',
      table: 'members',
      stack: expect.stringContaining('    at '),
    },
  });
});

it('writes what happens all the time once a minute, with how often', () => {
  const told: [object, string?][] = [];
  let now = 0;
  const often = new OncePerMinute(
    { error: ((d: object, m: string) => told.push([d, m])) as never },
    () => now,
  );
  for (let i = 0; i < 1000; i++) often.error('disk is full', { i });
  now = 60_001;
  often.error('disk is full', { i: 1000 });
  now = 60_002;
  often.error('another matter', {});
  expect(told).toEqual([
    [{ i: 0 }, 'disk is full'],
    [{ i: 1000, times: 1000 }, 'disk is full'],
    [{}, 'another matter'],
  ]);
});
