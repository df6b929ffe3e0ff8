import { describe, expect, it } from 'vitest';
import type { Meaning } from '../../api/types';
import { PLAIN, words as wordsBy } from './words';

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
const words = (line: string, units: 'mm' | 'inch', inch = false) => wordsBy(line, language, units, { ...PLAIN, inch });

describe('a line in words', () => {
  it('tells motion, place and feed', () => {
    expect(words('G1 X10.5 Y-3 F240', 'mm')).toBe('cut straight; to X 10.5 mm, Y -3 mm; feed 240 mm/min');
    expect(words('X12', 'mm')).toBe('to X 12 mm');
    expect(words('G0 Z5', 'inch')).toBe('rapid; to Z 0.19685 in');
  });

  it('reads inch text', () => {
    expect(words('G1 X1', 'mm', true)).toBe('cut straight; to X 25.4 mm');
  });

  it('reads whole increments, packed and numbered lines, waits in milliseconds', () => {
    const old = { inch: false, increments: [3, 0] as const, milliseconds: false };
    expect(wordsBy('N42 G01 X-12500 F576', language, 'mm', old)).toBe('cut straight; to X -12.5 mm; feed 576 mm/min');
    expect(wordsBy('N120G01X10.5Z-.5F240.', language, 'mm', PLAIN)).toBe(
      'cut straight; to X 10.5 mm, Z -0.5 mm; feed 240 mm/min',
    );
    const wait = [...language, m('G4', 'motion', 'wait'), m('P', 'number', '', 's')];
    expect(wordsBy('G04 P1500', wait, 'mm', { ...PLAIN, milliseconds: true })).toBe('wait; 1.5 s');
    expect(wordsBy('G04 X3000', wait, 'mm', old)).toBe('wait; 3 s');
    expect(words('X3 Y4 R5', 'mm')).toBe('to X 3 mm, Y 4 mm; radius 5 mm');
    expect(words('X3 ; to the left', 'mm')).toBe('to X 3 mm; to the left');
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
