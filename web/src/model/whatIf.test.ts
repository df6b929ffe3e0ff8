import { describe, expect, it } from 'vitest';
import type { Strip, StripSetup, WhatIf } from '../api/types';
import { checkWords, counted, lastMoments, ofSetup } from './whatIf';

const setup = (no_return: StripSetup['no_return'] = []): StripSetup => ({
  seconds: 40,
  ops: [],
  line: [10, 11, 20, 30],
  end: [10, 20, 30, 40],
  tool: [],
  power: [],
  engagement: [],
  feed: [],
  x: [],
  y: [],
  z: [],
  arc: [],
  ledger: { cutting: 0, air: 0, changes: 0 },
  no_return,
});
const row = (r: Partial<WhatIf>): WhatIf => ({
  fault: 'T1 is 1 mm longer',
  setup: 'side 1',
  spoiled: 'the part is cut 1.00 mm too deep',
  gravity: 1,
  line: 20,
  places: [],
  caught_by: 'a short cut',
  check: { kind: 'short_cut', tool: 1 },
  proposed: true,
  ...r,
});
const names = ['side 1', 'side 2'];

describe('points of no return', () => {
  const strip: Strip = { usable_kw: 1, setups: [setup([{ at: 40, line: 30, words: 'unclamped' }]), setup()] };
  it('are where a check is first too late, and what stands in the program', () => {
    const rows = [
      row({}),
      row({ fault: 'T1 is 1 mm shorter', line: 11 }),
      row({ fault: 'Z0 is off', line: 11, check: { kind: 'touch', axis: 2 } }),
      row({ fault: 'harmless', line: 10, gravity: 0 }),
      row({ fault: 'not told where', line: undefined, check: { kind: 'block' } }),
    ];
    expect(lastMoments(rows, strip, names)).toEqual([
      {
        at: { setup: 0, at: 20 },
        line: 11,
        words: ['too late for a short cut with T1', 'too late for zero Z touched again'],
      },
      { at: { setup: 0, at: 40 }, line: 30, words: ['unclamped'] },
    ]);
  });
  it('are those of the setup in which the harm shows', () => {
    const found = lastMoments([row({ shows_in: 'side 2', line: 10 })], strip, names);
    expect(found[1]?.at).toEqual({ setup: 1, at: 10 });
  });
  it('of a setup that is not on the strip are left out', () => {
    expect(lastMoments([row({ setup: 'side 9' })], strip, names)).toHaveLength(1);
  });
});

describe('faults', () => {
  const rows = [row({ gravity: 0 }), row({ gravity: 2, setup: 'side 2' }), row({}), row({ setup: undefined })];
  it('are counted by what they do', () => {
    expect(counted(rows)).toEqual({ nothing: 1, spoils: 2, breaks: 1 });
  });
  it('of a setup stand with those of the whole job, the worst first', () => {
    expect(ofSetup(rows, 'side 2').map((r) => r.gravity)).toEqual([2, 1]);
    expect(ofSetup(rows, '').map((r) => r.gravity)).toEqual([2, 1, 1, 0]);
  });
  it('name their check', () => {
    expect(checkWords({ kind: 'touch', axis: 1 })).toBe('zero Y touched again');
  });
});
