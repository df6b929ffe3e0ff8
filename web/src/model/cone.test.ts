import { describe, expect, it } from 'vitest';
import type { Tool } from '../api/types';
import { coneOf } from './cone';

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
});
