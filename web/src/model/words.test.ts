import { describe, expect, it } from 'vitest';
import { inWordsOf, wordsInInch } from './words';

describe('sentences of the core in inch', () => {
  it('finds lengths by what stands beside them', () => {
    const cases: [string, string][] = [
      ['Hole Ø6.35 through', 'Hole Ø0.25 through'],
      ['Hole Ø12.7 25.4 deep', 'Hole Ø0.5 1 deep'],
      ['Slot 12.7 wide, 6.35 deep, 50.8 long', 'Slot 0.5 wide, 0.25 deep, 2 long'],
      ['Pocket 50.8 × 25.4, 12.7 deep, corners R3.175', 'Pocket 2 × 1, 0.5 deep, corners R0.125'],
      ['Block, 76.2 × 50.8 × 25.4 mm', 'Block, 3 × 2 × 1 in'],
      ['Block, 76.2 × 50.8 × 25.4', 'Block, 3 × 2 × 1'],
      ['Rough outline to Z25.40, flat end mill Ø12.7', 'Rough outline to Z1, flat end mill Ø0.5'],
      ['groove Ø25.4 × 2.54 wide, 12.7 down', 'groove Ø1 × 0.1 wide, 0.5 down'],
      ['Cut-out 50.8 × 25.4, through 12.7, corners R6.35', 'Cut-out 2 × 1, through 0.5, corners R0.25'],
      ['Floor 2.54 thick, 50.8 × 25.4 open', 'Floor 0.1 thick, 2 × 1 open'],
      ['sharper than R 1.27, 2.0 mm deep', 'sharper than R 0.05, 0.079 in deep'],
      ['Hexagon 31.75 across flats, 50.8 long', 'Hexagon 1.25 across flats, 2 long'],
      ['Chamfer 2.54 × 45°', 'Chamfer 0.1 × 45°'],
      ['counterbore Ø12.7 × 6.35', 'counterbore Ø0.5 × 0.25'],
      ['cone 60°, Ø12.7 to Ø6.35', 'cone 60°, Ø0.5 to Ø0.25'],
      ['in a grid 3 × 2, 25.4 and 12.7 apart', 'in a grid 3 × 2, 1 and 0.5 apart'],
      ['on a circle Ø50.8, every 60°', 'on a circle Ø2, every 60°'],
      ['0.127 mm (± 0.002) too deep at X 25.40 Y -12.70 Z 0.00', '0.005 in (± 0.00008) too deep at X 1 Y -0.5 Z 0'],
      ['Inclined face 25.4 × 12.7, looks 30° from up', 'Inclined face 1 × 0.5, looks 30° from up'],
    ];
    for (const [mm, inch] of cases) expect(wordsInInch(mm)).toBe(inch);
  });
  it('leaves counts, threads, classes, angles and other units alone', () => {
    for (const t of [
      'M6 drawn at its outside',
      'tap drill of #10-32 or 1/4-20',
      '17 H7 of ISO 286',
      'side 1: 12 operations, 5 tools',
      'T3 is called, and the crib has no such tool',
      'kc 700 N/mm² at 1200 1/min and 300 mm/min',
      '4.2 mm³ in 3 places, 20 % of it',
      'step 3 of line 120',
      'drilled 2 × M6',
    ])
      expect(wordsInInch(t)).toBe(t);
    expect(wordsInInch('2 × Ø6.35 for M8')).toBe('2 × Ø0.25 for M8');
  });
  it('walks through an answer, and leaves keys and numbers', () => {
    const sheet = {
      id: 'hole/6.35/x',
      what: 'Hole Ø6.35',
      size: [25.4, 1],
      list: [{ words: '25.4 mm', program: 'X25.4 mm' }],
    };
    expect(inWordsOf('inch', sheet)).toEqual({
      id: 'hole/6.35/x',
      what: 'Hole Ø0.25',
      size: [25.4, 1],
      list: [{ words: '1 in', program: 'X25.4 mm' }],
    });
    expect(inWordsOf('mm', sheet)).toBe(sheet);
  });
});
