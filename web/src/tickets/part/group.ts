/** Rows of features with what stands in them. */
import { say, type Units } from '../../model/units';
import type { Feature, FeatureRow, Hard, PartSheet } from '../../api/types';

export interface Group extends FeatureRow {
  /** The first of them, for its sizes and reasons. */
  f: Feature;
  /** Its gravest reason, if one is worth a word. */
  hard: Hard | null;
}

export const groupsOf = (p: PartSheet): Group[] =>
  p.rows.flatMap((r) => {
    const f = p.features[r.first];
    return f ? [{ ...r, f, hard: r.hardest === null ? null : (f.hard[r.hardest] ?? null) }] : [];
  });

/** A reason in words. */
export function reason(h: Hard, units: Units = 'mm'): string {
  if (h.unit === '') return h.what;
  if (h.unit === 'mm' && units === 'inch') return `${h.what} ${say(h.value, 'mm', units)}`;
  return `${h.what} ${h.value.toFixed(h.unit === '×' ? 1 : 2)} ${h.unit}`;
}

/** Why a feature is left: no side at all, or none of those that the plan cuts from. */
export function left(
  from: readonly string[],
  cutFrom: readonly string[],
): 'no side' | 'another side' | 'a lathe' | null {
  if (from.length === 0) return 'no side';
  if (from.every((f) => f === 'turning')) return 'a lathe';
  return from.some((f) => cutFrom.includes(f)) ? null : 'another side';
}
