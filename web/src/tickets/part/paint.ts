/** Colours of the bands that the core sorts the faces into; each comes with its words, so that colour is never alone. */
import type { Band, PaintBy as By, PartSheet, Tone } from '../../api/types';

export type PaintBy = 'none' | By;

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
const TONES: Record<Exclude<Tone, 'plain'>, string> = {
  beyond: '#b3372b',
  far: '#c9622a',
  ask: '#d58a1f',
  calm: '#8fb3d9',
};
const colourOf = (b: Band, k: number) =>
  b.tone === 'plain' ? (PALETTE[k % PALETTE.length] ?? TONES.calm) : TONES[b.tone];

export function painted(part: PartSheet, by: PaintBy): Painted | null {
  const bands = part.paints.find((p) => p.by === by)?.bands;
  if (!bands) return null;
  const plain = bands.filter((b) => b.tone === 'plain');
  const all = bands.map((b) => ({ ...b, colour: colourOf(b, plain.indexOf(b)) }));
  return {
    faces: new Map(all.flatMap((b) => b.faces.map((f) => [f, b.colour] as const))),
    legend: all.map((b) => ({ colour: b.colour, words: b.words, count: b.faces.length })),
  };
}
