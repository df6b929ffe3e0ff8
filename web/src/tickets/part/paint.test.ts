import { describe, expect, it } from 'vitest';
import type { PartSheet } from '../../api/types';
import { painted } from './paint';

const part = {
  paints: [
    {
      by: 'side',
      bands: [
        { words: 'from no side', tone: 'beyond', faces: [4] },
        { words: 'from +Z', tone: 'plain', faces: [1, 2] },
        { words: 'from −Z', tone: 'plain', faces: [3] },
      ],
    },
  ],
} as unknown as PartSheet;

describe('colours of faces', () => {
  it('are none unless asked for', () => expect(painted(part, 'none')).toBeNull());

  it('tell the bands apart, each with its words and how many faces it has', () => {
    const p = painted(part, 'side');
    expect(p?.legend.map((l) => [l.words, l.count])).toEqual([
      ['from no side', 1],
      ['from +Z', 2],
      ['from −Z', 1],
    ]);
    expect(new Set(p?.legend.map((l) => l.colour)).size).toBe(3);
    expect(p?.faces.get(1)).toBe(p?.faces.get(2));
  });
});
