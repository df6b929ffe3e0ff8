import { describe, expect, it } from 'vitest';
import { words } from './words';

describe('a line in words', () => {
  it('tells motion, place and feed', () => {
    expect(words('G1 X10.5 Y-3 F240', 'mm')).toBe('cut straight; to X 10.5 mm, Y -3 mm; feed 240 mm/min');
    expect(words('X12', 'mm')).toBe('to X 12 mm');
    expect(words('G0 Z5', 'inch')).toBe('rapid; to Z 0.19685 in');
  });

  it('reads inch text', () => {
    expect(words('G1 X1', 'mm', true)).toBe('cut straight; to X 25.4 mm');
  });

  it('tells cycles, tools and comments', () => {
    expect(words('G83 X1 Y2 Z-8 R1 Q1.5 F100', 'mm')).toBe(
      'drill with pecks; to X 1 mm, Y 2 mm, Z -8 mm; clear height 1 mm; pecks of 1.5 mm; feed 100 mm/min',
    );
    expect(words('T4 M6 (FLAT END MILL)', 'mm')).toBe('cutter T4; change the cutter; flat end mill');
    expect(words('%', 'mm')).toBe('%');
    expect(words('', 'mm')).toBe('nothing');
  });
});
