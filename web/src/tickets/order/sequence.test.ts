import { describe, expect, it } from 'vitest';
import type { OpSheet } from '../../api/types';
import { breaks, move, moved } from './sequence';

const op = (id: string, needs: string[] = []) =>
  ({ op: { id, title: id }, needs: needs.map((first) => ({ first, why: 'so' })) }) as unknown as OpSheet;

describe('moving a step', () => {
  it('puts it where it was dropped', () => {
    expect(moved(['a', 'b', 'c'], 'c', 0)).toEqual(['c', 'a', 'b']);
    expect(moved(['a', 'b', 'c'], 'a', 1)).toEqual(['b', 'a', 'c']);
    expect(moved(['a', 'b', 'c'], 'a', 2)).toEqual(['b', 'c', 'a']);
  });

  it('says it as a step that goes directly before another', () => {
    expect(move(['a', 'b', 'c'], 'c', 0)).toEqual({ id: 'c', before: 'a' });
    expect(move(['a', 'b', 'c'], 'a', 1)).toEqual({ id: 'a', before: 'c' });
  });

  it('at the end says so of the one that was last', () => {
    expect(move(['a', 'b', 'c'], 'a', 2)).toEqual({ id: 'c', before: 'a' });
  });

  it('says nothing where nothing moves', () => {
    expect(move(['a', 'b'], 'a', 0)).toBeNull();
    expect(move(['a'], 'a', 0)).toBeNull();
  });

  it('tells what would break', () => {
    const ops = [op('spot'), op('drill', ['spot']), op('chamfer')];
    expect(breaks(ops, 'drill', 0)).toEqual(['drill would come before spot: so']);
    expect(breaks(ops, 'chamfer', 0)).toEqual([]);
    expect(breaks(ops, 'chamfer', 9)).toEqual([]);
  });
});
