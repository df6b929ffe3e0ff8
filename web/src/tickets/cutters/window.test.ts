import { describe, expect, it } from 'vitest';
import type { Window } from '../../api/types';
import { lower, nice, upper } from './window';

const curve = (name: string, up: boolean, fz: number[]) => ({ name, upper: up, fz, source: [] });
const w: Window = {
  ae: [1, 2],
  curves: [curve('power', true, [0.2, 0.05]), curve('load', true, [0.1, 0.1]), curve('rub', false, [0.02, 0.01])],
};

describe('operating window', () => {
  it('lies under the least upper limit and over the greatest lower one', () => {
    expect([upper(w, 0), upper(w, 1)]).toEqual([0.1, 0.05]);
    expect([lower(w, 0), lower(w, 1)]).toEqual([0.02, 0.01]);
  });

  it('is divided at round numbers', () => {
    expect(nice(0.11)).toEqual([0.05, 0.1]);
    expect(nice(10)).toEqual([2.5, 5, 7.5, 10]);
    expect(nice(5)).toEqual([2, 4]);
  });
});
