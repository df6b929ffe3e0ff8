import type { Tool } from '../api/types';

/** Radius at the upper end of its teeth, mm: only a dovetail cutter is slimmer there. */
export function upperRadius(t: Tool): number {
  const r = t.diameter_mm / 2;
  if (t.kind !== 'dovetail' || !t.flank_deg) return r;
  return Math.max(r - t.flute_length_mm / Math.tan((t.flank_deg * Math.PI) / 180), 0);
}

/** Tip radius and height of a cutter's cone, mm: a point, a chamfer, the lead of a tap or a reamer. Null where it has none. As `shop::tool` has it. */
export function coneOf(t: Tool): { tip: number; height: number } | null {
  const r = t.diameter_mm / 2;
  if (t.kind === 'tap') {
    const pitch = t.pitch_mm ?? 0;
    const tip = t.tip_diameter_mm > 0 ? t.tip_diameter_mm / 2 : Math.max(r - 0.65 * pitch, 0);
    return { tip, height: (t.lead_threads ?? 4) * pitch };
  }
  if (t.kind === 'reamer') {
    const tip = t.tip_diameter_mm > 0 ? t.tip_diameter_mm / 2 : 0.9 * r;
    return { tip, height: r - tip };
  }
  if (!['drill', 'spot', 'chamfer'].includes(t.kind) || !(t.point_angle_deg > 1 && t.point_angle_deg < 180))
    return null;
  const tip = t.tip_diameter_mm / 2;
  return { tip, height: (r - tip) / Math.tan((t.point_angle_deg * Math.PI) / 360) };
}
