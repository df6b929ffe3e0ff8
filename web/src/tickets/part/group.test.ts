import { describe, expect, it } from 'vitest';
import type { Feature } from '../../api/types';
import { grouped, hardest, left, sectionOf } from './group';

const f = (what: string, from: string[], faces: number[], depth = 5) =>
  ({ id: what + faces[0], kind: 'hole', what, from, depth, corner: null, reach: 1, faces }) as unknown as Feature;

describe('features', () => {
  it('that are the same stand in one row, with all their faces', () => {
    const g = grouped([f('Hole Ø4', ['+Z'], [1]), f('Hole Ø4', ['+Z'], [2, 3]), f('Hole Ø4', ['+Z'], [4], 6)]);
    expect(g.map((x) => [x.count, x.faces])).toEqual([
      [2, [1, 2, 3]],
      [1, [4]],
    ]);
  });

  it('are as hard as their gravest reason, where small radii weigh more', () => {
    const h = (what: string, value: number, unit: string, limit: number) => ({ what, value, unit, limit, why: '' });
    expect(hardest({ hard: [] })).toBeNull();
    const both = [h('depth ÷ diameter', 5, '×', 10), h('corner radius', 1, 'mm', 2)];
    expect(hardest({ hard: both })).toMatchObject({ share: 2, text: 'corner radius 1.00 mm' });
    expect(hardest({ hard: both }, 'inch')?.text).toBe('corner radius 0.0394 in');
    expect(sectionOf('wall')).toBe('relation');
    expect(sectionOf('hole')).toBe('cut');
  });

  it('are left when no planned side reaches them', () => {
    expect(left({ from: ['−Y'] }, '+Z')).toBe('another side');
    expect(left({ from: ['−Z'] }, '+Z')).toBeNull();
    expect(left({ from: ['+Z'] }, '−Z')).toBeNull();
    expect(left({ from: ['-Z'] }, '−Z')).toBeNull();
    expect(left({ from: [] }, '+Z')).toBe('no side');
    expect(left({ from: ['turning'] }, '+Z')).toBe('a lathe');
  });
});
