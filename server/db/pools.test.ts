/** What counts as the database being away, and what as a failure of the question. */
import { expect, it } from '@jest/globals';
import { isAway } from './pools.ts';

it.each([
  ['no connection is left', { code: '53300', message: 'sorry, too many clients already' }],
  ['it shuts down', { code: '57P01', message: 'terminating connection due to administrator command' }],
  ['the connection was lost', { code: '08006', message: '' }],
  ['nobody listens', { code: 'ECONNREFUSED', message: 'connect ECONNREFUSED 127.0.0.1:5432' }],
  ['it has fallen silent', new Error('Query read timeout')],
  ['no turn came', new Error('timeout exceeded when trying to connect')],
])('it is away when %s', (_, error) => expect(isAway(error)).toBe(true));

it.each([
  ['a statement ran too long', { code: '57014', message: 'canceling statement due to statement timeout' }],
  ['a name is taken', { code: '23505', message: 'duplicate key value violates unique constraint' }],
  ['the disk is full', { code: '53100', message: 'could not extend file' }],
  ['there is no error', null],
])('it is not when %s', (_, error) => expect(isAway(error)).toBe(false));
