import { expect, it } from 'vitest';
import type { Strip } from '../api/types';
import { along, atLine, beside, bins, fromTotal, lineBeside, placeAt, stepAt, toTotal } from './strip';

const setup = (end: number[]) => ({
  seconds: end.at(-1) ?? 0,
  ops: [],
  line: end.map((_, k) => 10 * (k + 1)),
  end,
  tool: end.map(() => 1),
  power: end.map((_, k) => k + 1),
  engagement: end.map(() => 0),
  feed: end.map(() => 100),
  x: end.map((_, k) => k * 10),
  y: end.map(() => 0),
  z: end.map(() => 0),
  arc: end.map(() => [0, 0, 0] as [number, number, number]),
  no_return: [],
  ledger: { cutting: 0, air: 0, changes: 0 },
});
const strip: Strip = { usable_kw: 1, setups: [setup([1, 2, 4]), setup([3])] };

it('finds moments, lines and places', () => {
  expect(fromTotal(strip, 5)).toEqual({ setup: 1, at: 1 });
  expect(toTotal(strip, { setup: 1, at: 1 })).toBe(5);
  const first = strip.setups[0]!;
  expect(stepAt(first, 1.5)).toBe(1);
  expect(placeAt(first, 3).x).toBe(15);
  expect(atLine(first, 20)).toBe(2);
});

it('follows arcs', () => {
  const p = along({ x: 1, y: 0, z: 0 }, { x: -1, y: 0, z: 1 }, [0, 0, Math.PI], 0.5);
  expect([p.x, p.y, p.z].map((v) => Number(v.toFixed(6)))).toEqual([0, 1, 0.5]);
});

it('keeps the greatest of each column', () => {
  expect(bins(strip, 7).map((b) => b.power)).toEqual([1, 2, 3, 3, 1, 1, 1]);
});

it('goes from line to line, from wherever it stands', () => {
  const s = { ...setup([1, 2, 3, 4]), line: [5, 5, 7, 9] };
  // A line that takes two steps is done with the second.
  expect(lineBeside(s, 0.5, 1)).toBe(3);
  expect(lineBeside(s, 3, 1)).toBe(4);
  expect(lineBeside(s, 4, 1)).toBe(4);
  expect(lineBeside(s, 3.5, -1)).toBe(3);
  expect(lineBeside(s, 3, -1)).toBe(2);
  expect(lineBeside(s, 1.5, -1)).toBe(0);
});

it('goes from step to step, over the end of a setup', () => {
  const op = (start: number, end: number) => ({
    id: String(end),
    title: '',
    word: '',
    tool: 1,
    start,
    end,
    lines: [1, 2] as [number, number],
  });
  const two: Strip = {
    usable_kw: 1,
    setups: [
      { ...setup([1, 2, 4]), ops: [op(0, 2), op(2, 4)] },
      { ...setup([3]), ops: [op(0, 3)] },
    ],
  };
  const at = (k: number, t: number, by: 1 | -1) => beside(two, { setup: k, at: t }, by, 'step');
  expect(at(0, 1, 1)).toEqual({ setup: 0, at: 2 });
  expect(at(0, 4, 1)).toEqual({ setup: 1, at: 3 });
  expect(at(1, 3, 1)).toEqual({ setup: 1, at: 3 });
  expect(at(1, 3, -1)).toEqual({ setup: 0, at: 4 });
  expect(at(0, 1, -1)).toEqual({ setup: 0, at: 0 });
});
