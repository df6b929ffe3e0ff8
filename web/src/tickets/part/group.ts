/** Features that are the same but for their place stand in one row. */
import { say, type Units } from '../../model/units';
import type { Feature, FeatureKind } from '../../api/types';

export interface Group {
  id: string;
  what: string;
  kind: FeatureKind;
  count: number;
  /** The first of them, for its sizes and reasons. */
  first: Feature;
  from: string[];
  depth: number | null;
  corner: number | null;
  reach: number | null;
  faces: number[];
}

const n = (v: number | null) => (v === null ? '' : v.toFixed(3));

/** What is to be looked at first, and what hardly ever. */
export type Section = 'cut' | 'edge' | 'relation' | 'face';
const sections: Partial<Record<FeatureKind, Section>> = {
  wall: 'relation',
  floor: 'relation',
  crossing: 'relation',
  pattern: 'relation',
  face: 'face',
  round: 'edge',
  fillet: 'edge',
  chamfer: 'edge',
};
export const sectionOf = (k: FeatureKind): Section => sections[k] ?? 'cut';

export function grouped(list: readonly Feature[]): Group[] {
  const out = new Map<string, Group>();
  for (const f of list) {
    const key = [f.kind, f.what, f.from.join(), n(f.depth), n(f.corner), n(f.reach)].join('/');
    const g = out.get(key);
    if (g) {
      g.count += 1;
      g.faces = [...g.faces, ...f.faces];
    } else out.set(key, { ...f, count: 1, first: f, faces: [...f.faces] });
  }
  return [...out.values()];
}

/** The reason that makes a feature hard, the gravest first, with its share of the limit. */
export function hardest(
  f: Pick<Feature, 'hard'>,
  units: Units = 'mm',
): { share: number; text: string; why: string } | null {
  let best: { share: number; text: string; why: string } | null = null;
  for (const h of f.hard) {
    const share = h.unit === 'mm' ? h.limit / Math.max(h.value, 1e-3) : h.value / h.limit;
    if (best && best.share >= share) continue;
    const value =
      h.unit === ''
        ? ''
        : h.unit === 'mm' && units === 'inch'
          ? say(h.value, 'mm', units)
          : `${h.value.toFixed(h.unit === '×' ? 1 : 2)} ${h.unit}`;
    best = { share, text: `${h.what} ${value}`.trim(), why: h.why };
  }
  return best;
}

const opposite = (up: string) => `${up.startsWith('+') ? '−' : '+'}${up.slice(1)}`;
const plain = (d: string) => d.replace('-', '−');

/** Why a feature is left: no side at all, or none of the two that are planned. */
export function left(g: Pick<Group, 'from'>, up: string): 'no side' | 'another side' | 'a lathe' | null {
  if (g.from.length === 0) return 'no side';
  if (g.from.every((f) => f === 'turning')) return 'a lathe';
  const ups = [plain(up), opposite(plain(up))];
  return g.from.some((f) => ups.includes(plain(f))) ? null : 'another side';
}
