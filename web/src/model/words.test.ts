import { describe, expect, it } from 'vitest';
import { inWordsOf, said } from './words';

const len = (n: string) => `\uE000${n}\uE001`;

describe('sentences of the core', () => {
  it('have their lengths in the unit of the screen', () => {
    const cases: [string, string, string][] = [
      [`Hole Ø${len('6.35')} through`, 'Hole Ø6.35 through', 'Hole Ø0.25 through'],
      [`Block, ${len('76.2')} × ${len('50.8')} mm`, 'Block, 76.2 × 50.8 mm', 'Block, 3 × 2 in'],
      [`(${len('-330')} to ${len('0')} mm)`, '(-330 to 0 mm)', '(-12.992 to 0 in)'],
      [`Cast ${len('2')}–${len('4')} mm over`, 'Cast 2–4 mm over', 'Cast 0.079–0.157 in over'],
      [`${len('0.127')} mm (± ${len('0.002')}) deep`, '0.127 mm (± 0.002) deep', '0.005 in (± 0.00008) deep'],
      [`size ${len('+0.021')} ${len('0')} mm`, 'size +0.021 0 mm', 'size +0.00083 0 in'],
    ];
    for (const [words, mm, inches] of cases) {
      expect(said(words, 'mm')).toBe(mm);
      expect(said(words, 'inch')).toBe(inches);
    }
  });
  it('keep whatever the core did not mark: names, threads, areas', () => {
    for (const t of ['Plate 10 mm', 'M6 × 12', '4.2 mm³ in 3 places', 'R 5 of Ø12']) expect(said(t, 'inch')).toBe(t);
    expect(said(`${len('25.4')} mm² of it`, 'inch')).toBe('1 mm² of it');
    expect(said(len('some'), 'inch')).toBe('some');
  });
  it('are found all through an answer; what goes back to the server stays as it came', () => {
    const sheet = { what: `Ø${len('6.35')}`, size: [25.4, 1], list: [{ words: `${len('25.4')} mm` }], ask: len('2') };
    expect(inWordsOf('inch', sheet)).toEqual({
      what: 'Ø0.25',
      size: [25.4, 1],
      list: [{ words: '1 in' }],
      ask: len('2'),
    });
    expect(inWordsOf('mm', sheet).what).toBe('Ø6.35');
  });
});
