/** Features that are the same but for their place stand in one row. */
import type { Feature, FeatureKind } from '../../api/types';

export interface Group {
  id: string;
  what: string;
  kind: FeatureKind;
  count: number;
  from: string[];
  depth: number | null;
  corner: number | null;
  reach: number | null;
  faces: number[];
}

const n = (v: number | null) => (v === null ? '' : v.toFixed(3));

export function grouped(list: readonly Feature[]): Group[] {
  const out = new Map<string, Group>();
  for (const f of list) {
    const key = [f.kind, f.what, f.from.join(), n(f.depth), n(f.corner), n(f.reach)].join('/');
    const g = out.get(key);
    if (g) {
      g.count += 1;
      g.faces = [...g.faces, ...f.faces];
    } else out.set(key, { ...f, count: 1, faces: [...f.faces] });
  }
  return [...out.values()];
}

const opposite = (up: string) => `${up.startsWith('+') ? '−' : '+'}${up.slice(1)}`;
const plain = (d: string) => d.replace('-', '−');

/** Why a feature is left: no side at all, or none of the two that are planned. */
export function left(g: Pick<Group, 'from'>, up: string): 'no side' | 'another side' | null {
  if (g.from.length === 0) return 'no side';
  const ups = [plain(up), opposite(plain(up))];
  return g.from.some((f) => ups.includes(plain(f))) ? null : 'another side';
}
