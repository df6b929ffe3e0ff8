import { describe, expect, it } from 'vitest';
import type { OpSheet } from '../../api/types';
import { keyOf } from '../../model/key';
import { overruled } from './overruled';

const op = (settled: object | null) => ({ op: { id: 'rough:a' }, settled }) as unknown as OpSheet;

describe('overruling a number', () => {
  it('keeps what was overruled before', () => {
    const d = overruled(op({ tool: null, rpm: 4000, feed: null, depth: null, width: null }), { feed: 600 });
    expect(d).toEqual({
      about: 'operation',
      id: 'rough:a',
      change: { tool: null, rpm: 4000, feed: 600, depth: null, width: null },
    });
  });
  it('is the proposal again when nothing is left', () => {
    expect(overruled(op({ rpm: 4000 }), { rpm: null })).toEqual({ about: 'operation', id: 'rough:a', change: null });
    expect(overruled(op(null), {})).toMatchObject({ change: null });
    expect(overruled(op(null), { tool: 3 })).toMatchObject({ change: { tool: 3, rpm: null } });
  });
});

describe('a key for something new', () => {
  it('has its number and some of its words', () => {
    expect(keyOf(2, 'May a centre hole stay in the end?')).toBe('3-may-a-centre-hole-stay-in-the-end-');
    expect(keyOf(0, 'Größe!')).toBe('1-gr-e-');
    expect(keyOf(9, 'x'.repeat(90))).toHaveLength(43);
  });
});
