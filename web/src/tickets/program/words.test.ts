import { describe, expect, it } from 'vitest';
import type { Meaning } from '../../api/types';
import { words as wordsBy } from './words';

const m = (word: string, kind: Meaning['kind'], says: string, unit = ''): Meaning => ({ word, kind, says, unit });
const language = [
  m('G0', 'motion', 'rapid'),
  m('G1', 'motion', 'cut straight'),
  m('G83', 'motion', 'drill with pecks'),
  m('M6', 'mode', 'change the cutter'),
  m('X', 'coordinate', 'X', 'mm'),
  m('Y', 'coordinate', 'Y', 'mm'),
  m('Z', 'coordinate', 'Z', 'mm'),
  m('F', 'number', 'feed', 'mm/min'),
  m('R', 'number', 'clear height', 'mm'),
  m('Q', 'number', 'pecks of', 'mm'),
  m('T', 'number', 'cutter T'),
];
const words = (line: string, units: 'mm' | 'inch', inch = false) => wordsBy(line, language, units, inch);

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
