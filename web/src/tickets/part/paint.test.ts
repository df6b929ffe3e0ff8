import { describe, expect, it } from 'vitest';
import type { PartSheet } from '../../api/types';
import { painted } from './paint';

const f = (kind: string, faces: number[], from: string[], value: number, reach: number | null = null) => ({
  kind,
  reach,
  faces,
  from,
  hard: [{ what: 'x', value, unit: '×', limit: 10, why: '' }],
});
const part = {
  features: [
    f('hole', [1, 2], ['+Z'], 12, 8.4),
    f('pocket', [3], ['−Z'], 2, 3),
    f('step', [4], [], 6, 3.1),
    f('wall', [3, 5], [], 14),
  ],
} as unknown as PartSheet;

describe('colours of faces', () => {
  it('are none unless asked for', () => expect(painted(part, 'none')).toBeNull());

  it('by side name every side, and those that no side reaches', () => {
    const p = painted(part, 'side');
    expect(p?.legend.map((l) => [l.words, l.count])).toEqual([
      ['from +Z', 2],
      ['from no side', 1],
      ['from −Z', 1],
    ]);
    expect(p?.faces.get(1)).not.toBe(p?.faces.get(3));
  });

  it('by reach fall into the bands of depth over diameter', () => {
    const p = painted(part, 'reach');
    expect(p?.legend.map((l) => [l.words, l.count])).toEqual([
      ['over 8 × its cutter', 2],
      ['3 to 5 × its cutter', 1],
      ['up to 3 × its cutter', 1],
    ]);
    expect(p?.faces.has(5)).toBe(false);
  });

  it('by hardness and by wall fall into bands at the limit', () => {
    expect(painted(part, 'hard')?.legend.map((l) => l.count)).toEqual([2, 1, 1]);
    const w = painted(part, 'wall');
    expect(w?.legend.map((l) => l.words)).toEqual(['thinner than 1 : 10']);
    expect([...(w?.faces.keys() ?? [])]).toEqual([3, 5]);
  });
});
