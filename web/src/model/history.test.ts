import { expect, it } from 'vitest';
import { Moment, readHistory } from './history';

function bytes(): ArrayBuffer {
  const falls = [
    [1, 0, 4],
    [2, 1, 3],
    [3, 0, 2],
  ] as const;
  const b = new ArrayBuffer(24 + 2 * 8 + falls.length * 12);
  new Uint32Array(b, 0, 3).set([2, 1, falls.length]);
  new Float32Array(b, 12, 3).set([0, 0, 0.5]);
  new Float32Array(b, 24, 2).set([0, 0]);
  new Float32Array(b, 32, 2).set([5, 5]);
  new Float32Array(b, 40, 3).set(falls.map((f) => f[0]));
  new Uint32Array(b, 52, 3).set(falls.map((f) => f[1]));
  new Float32Array(b, 64, 3).set(falls.map((f) => f[2]));
  return b;
}

it('goes forth and back to the same stock', () => {
  const m = new Moment(readHistory(bytes()));
  const at = (t: number) => {
    m.seek(t);
    return [...m.top];
  };
  expect(at(0)).toEqual([5, 5]);
  expect(at(3)).toEqual([2, 3]);
  expect(at(1.5)).toEqual([4, 5]);
  expect(at(2.5)).toEqual([4, 3]);
  expect(at(-1)).toEqual([5, 5]);
});
