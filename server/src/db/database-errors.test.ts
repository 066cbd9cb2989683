import { describe, expect, it } from '@jest/globals';
import { databaseError, isDatabaseGone } from './database-errors.ts';

const failed = (code: string | undefined, message: string): Error =>
  new Error('a query failed', { cause: Object.assign(new Error(message), code === undefined ? {} : { code }) });

describe('a database that is not there', () => {
  it.each([
    ['57P01', 'terminating connection due to administrator command'],
    ['08006', 'connection failure'],
    ['ECONNREFUSED', 'connect ECONNREFUSED'],
    ['55000', 'database "flagstone" is not currently accepting connections'],
    [undefined, 'Connection terminated unexpectedly'],
  ])('is told by %s: %s', (code, message) => {
    expect(isDatabaseGone(failed(code, message))).toBe(true);
    expect(databaseError(failed(code, message))?.code).toBe('UNAVAILABLE');
  });

  it.each([
    ['55000', 'cannot delete from view'],
    ['23505', 'duplicate key value'],
    [undefined, 'something else'],
  ])('is not meant by %s: %s', (code, message) => expect(isDatabaseGone(failed(code, message))).toBe(false));
});
