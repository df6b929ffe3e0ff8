import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
import type { MachineCard, RunEntry, RunStanding } from '../api/types';
import { judge, stateOf } from './run';

interface Case {
  card: MachineCard;
  began_ms: number;
  entries: RunEntry[];
  state: RunStanding;
}

/** Written by the core from random acts. */
const cases = JSON.parse(readFileSync(new URL('run.cases.json', import.meta.url), 'utf8')) as Case[];

/** The same but for the last digits of an angle. */
const rounded = (v: unknown): unknown =>
  typeof v === 'number'
    ? Number(v.toPrecision(12))
    : Array.isArray(v)
      ? v.map(rounded)
      : v && typeof v === 'object'
        ? Object.fromEntries(Object.entries(v).map(([k, x]) => [k, rounded(x)]))
        : v;

test('every case of the core comes to the same here', () => {
  expect(cases.length).toBeGreaterThan(30);
  for (const c of cases) expect(rounded(stateOf(c.card, c.began_ms, c.entries))).toEqual(rounded(c.state));
});

test('the cases reach every standing', () => {
  const seen = new Set(cases.flatMap((c) => c.state.steps.map((s) => s.standing)));
  expect([...seen].sort()).toEqual(['done', 'doubt', 'open', 'stopped']);
});

test('nothing that is no number is good', () => {
  const none = { must: [null, null], should: [null, null], why: '', below: '', above: '' } as const;
  expect(judge(NaN, { ...none, must: [null, null], should: [null, null] }).verdict).toBe('stop');
});
