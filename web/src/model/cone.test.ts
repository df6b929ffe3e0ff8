import { describe, expect, it } from 'vitest';
import type { Tool } from '../api/types';
import { coneOf, upperRadius } from './cone';

const tool = (kind: Tool['kind'], more: Partial<Tool> = {}) =>
  ({ kind, diameter_mm: 6, tip_diameter_mm: 0, point_angle_deg: 0, ...more }) as Tool;

describe('the cone at a cutter’s end', () => {
  it('is the lead of a tap, which enters its core', () => {
    expect(coneOf(tool('tap', { pitch_mm: 1, lead_threads: 3 }))).toEqual({ tip: 2.35, height: 3 });
  });
  it('is a 45° lead of a reamer, a point of a drill, nothing of an end mill', () => {
    expect(coneOf(tool('reamer'))?.height).toBeCloseTo(0.3);
    expect(coneOf(tool('drill', { point_angle_deg: 90 }))?.height).toBeCloseTo(3);
    expect(coneOf(tool('flat', { point_angle_deg: 90 }))).toBeNull();
  });
  it('is none of a dovetail cutter, which is slimmer above: 8 − 6·cot 60°', () => {
    const t = tool('dovetail', { diameter_mm: 16, flute_length_mm: 6, flank_deg: 60 });
    expect(coneOf(t)).toBeNull();
    expect(upperRadius(t)).toBeCloseTo(4.536, 3);
    expect(upperRadius(tool('t_slot', { diameter_mm: 12, flute_length_mm: 4 }))).toBe(6);
  });
});
