import { describe, expect, it } from 'vitest';
import { age, bytes, when } from './keeping';

describe('what is kept', () => {
  it('has sizes that can be read', () => {
    expect([0, 999, 1024, 1536, 10_485_760, 20 * 2 ** 30, 123 * 2 ** 20].map(bytes)).toEqual([
      '0 bytes',
      '999 bytes',
      '1 kB',
      '1.5 kB',
      '10 MB',
      '20 GB',
      '123 MB',
    ]);
  });
  it('has times of the server', () => {
    expect(when('2026-11-29T10:04:05Z')).toBe('2026-11-29 10:04 UTC');
    expect(age('2026-11-29T10:00:00Z', Date.parse('2026-12-01T22:00:00Z'))).toBe(2.5);
  });
});
