/** Colours of faces by what one wants to see; each comes with a legend in words, so that colour is never alone. */
import type { Feature, PartSheet } from '../../api/types';

export type PaintBy = 'none' | 'side' | 'reach' | 'hard' | 'wall';

export interface Painted {
  faces: ReadonlyMap<number, string>;
  legend: readonly { colour: string; words: string; count: number }[];
}

/** Ten that differ in lightness as well as in hue. */
const PALETTE = [
  '#2f6db5',
  '#d9a441',
  '#7fb069',
  '#8e5ea2',
  '#e07a5f',
  '#3d405b',
  '#9ad1d4',
  '#b56576',
  '#c9cba3',
  '#5c946e',
];
const RED = '#b3372b';
const AMBER = '#d58a1f';
const CALM = '#8fb3d9';

const share = (f: Feature) =>
  f.hard.reduce((a, h) => Math.max(a, h.unit === 'mm' ? h.limit / Math.max(h.value, 1e-3) : h.value / h.limit), 0);

function from(groups: readonly { colour: string; words: string; faces: readonly number[] }[]): Painted {
  const faces = new Map<number, string>();
  for (const g of groups) for (const f of g.faces) if (!faces.has(f)) faces.set(f, g.colour);
  return {
    faces,
    legend: groups
      .map((g) => ({
        colour: g.colour,
        words: g.words,
        count: [...faces.values()].filter((c) => c === g.colour).length,
      }))
      .filter((g) => g.count > 0),
  };
}

export function painted(part: PartSheet, by: PaintBy): Painted | null {
  if (by === 'none') return null;
  const cut = part.features.filter((f) => !['wall', 'floor', 'crossing', 'pattern'].includes(f.kind));
  if (by === 'side') {
    const sides = [...new Set(cut.map((f) => f.from[0] ?? 'no side'))].sort();
    return from(
      sides.map((s, k) => ({
        colour: s === 'no side' ? RED : (PALETTE[k % PALETTE.length] ?? CALM),
        words: s === 'no side' ? 'from no side' : s === 'turning' ? 'turning' : `from ${s}`,
        faces: cut.filter((f) => (f.from[0] ?? 'no side') === s).flatMap((f) => f.faces),
      })),
    );
  }
  if (by === 'reach') {
    // Depth ÷ diameter of the largest cutter that fits: > 3 ask, > 5 warn, > 8 another way (common practice, no source).
    const band = (lo: number, hi: number) =>
      cut.filter((f) => f.reach !== null && f.reach > lo && f.reach <= hi).flatMap((f) => f.faces);
    return from([
      { colour: RED, words: 'over 8 × its cutter', faces: band(8, Infinity) },
      { colour: '#c9622a', words: '5 to 8 × its cutter', faces: band(5, 8) },
      { colour: AMBER, words: '3 to 5 × its cutter', faces: band(3, 5) },
      { colour: CALM, words: 'up to 3 × its cutter', faces: band(0, 3) },
    ]);
  }
  if (by === 'hard') {
    const band = (lo: number, hi: number) => cut.filter((f) => share(f) >= lo && share(f) < hi).flatMap((f) => f.faces);
    return from([
      { colour: RED, words: 'beyond its limit', faces: band(1, Infinity) },
      { colour: AMBER, words: 'over half of it', faces: band(0.5, 1) },
      { colour: CALM, words: 'easy', faces: band(0, 0.5) },
    ]);
  }
  const walls = part.features.filter((f) => f.kind === 'wall' || f.kind === 'floor');
  const band = (lo: number, hi: number) => walls.filter((f) => share(f) >= lo && share(f) < hi).flatMap((f) => f.faces);
  return from([
    { colour: RED, words: 'thinner than 1 : 10', faces: band(1, Infinity) },
    { colour: AMBER, words: 'thinner than 1 : 5', faces: band(0.5, 1) },
    { colour: CALM, words: 'other named walls', faces: band(0, 0.5) },
  ]);
}
