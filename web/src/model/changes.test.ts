import { expect, it } from 'vitest';
import type { Sheet } from '../api/types';
import { changes } from './changes';

const op = (id: string, rpm: number) => ({
  op: { id, tool: 1, mill: { rpm: { value: rpm }, feed: { value: 1 }, ap: { value: 1 }, ae: 1 } },
});
const sheet = (list: unknown[], minutes = 10, findings: unknown[] = [], material = 'brass') =>
  ({
    stock: { material, material_name: material, size: [1, 2, 3] },
    hold: { up: '+Z' },
    sides: [{ operations: list }],
    proof: { minutes, verdict: 'proved', findings },
  }) as unknown as Sheet;

it('tells what followed from a decision', () => {
  const a = sheet([op('x', 1000), op('y', 2000)]);
  expect(changes(a, a, 'mm')).toEqual([]);
  expect(changes(a, sheet([op('x', 1100), op('z', 2000)], 12.5), 'mm')).toEqual([
    '1 step new',
    '1 step gone',
    'other numbers in 1 step',
    '10 → 12.5 min',
  ]);
  expect(changes(a, sheet([op('y', 2000), op('x', 1000)]), 'mm')).toEqual(['another order']);
  const f = [{ id: 'f', severity: 'stop', what: 'A gouge' }];
  expect(changes(a, sheet([op('x', 1000), op('y', 2000)], 10.01, f, 'acetal'), 'mm')).toEqual([
    'acetal',
    'new: A gouge',
  ]);
});
