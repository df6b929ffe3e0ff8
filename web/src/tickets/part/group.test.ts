import { describe, expect, it } from 'vitest';
import type { PartSheet } from '../../api/types';
import { groupsOf, left, reason } from './group';

describe('rows of features', () => {
  const hard = { what: 'corner radius', value: 1, unit: 'mm', limit: 2, why: '' };
  const part = {
    features: [
      { id: 'a', hard: [hard] },
      { id: 'b', hard: [] },
    ],
    rows: [
      { first: 0, count: 2, faces: [1, 2], sort: 'cut', hardest: 0, is_hard: true },
      { first: 1, count: 1, faces: [3], sort: 'cut', hardest: null, is_hard: false },
    ],
  } as unknown as PartSheet;

  it('have their first feature and its gravest reason', () => {
    const g = groupsOf(part);
    expect(g.map((x) => [x.f.id, x.count, x.hard?.what ?? null])).toEqual([
      ['a', 2, 'corner radius'],
      ['b', 1, null],
    ]);
    expect(reason(hard)).toBe('corner radius 1.00 mm');
    expect(reason(hard, 'inch')).toBe('corner radius 0.0394 in');
  });

  it('are left when none of the sides that are cut reaches them', () => {
    expect(left(['−Y'], ['+Z', '−Z'])).toBe('another side');
    expect(left(['−Y'], ['+Z', '−Z', '−Y'])).toBeNull();
    expect(left([], ['+Z'])).toBe('no side');
    expect(left(['turning'], ['+Z'])).toBe('a lathe');
  });
});
