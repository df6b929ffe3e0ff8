import { describe, expect, it } from 'vitest';
import type { Truth } from '../api/types';
import { WRONGS, cardStep, placeWords, saidOf, truthPlace, verdict, wrongWords } from './round';

describe('a trainer’s round', () => {
  it('has words for every sort, each once', () => {
    expect(new Set(WRONGS.map((w) => w.words)).size).toBe(WRONGS.length);
    expect(wrongWords('rapid')).toBe('Rapid where it should feed');
  });
  it('knows on which steps of a card a fault may stand', () => {
    expect(cardStep('side-1/zero-x')).toBe('zero-x');
    expect(cardStep('soft-jaws/cutters')).toBe('cutters');
    expect(cardStep('side-1/run-1')).toBeNull();
  });
  it('says nothing of a place where nothing is wrong', () => {
    expect(saidOf('nothing', { line: 7 })).toEqual({ wrong: 'nothing', line: null, step: null });
    expect(saidOf('feed', { line: 7 })).toEqual({ wrong: 'feed', line: 7, step: null });
    expect(saidOf('zero', { step: 'zero-z' })).toEqual({ wrong: 'zero', line: null, step: 'zero-z' });
    expect([placeWords(null), placeWords({ line: 3 }), placeWords({ step: 'cutters' })]).toEqual([
      '',
      'line 3 of the text',
      'cutters on the card',
    ]);
  });
  it('tells where it was', () => {
    const t: Truth = {
      wrong: 'depth',
      lines: [4, 4],
      step: null,
      was: '',
      is: '',
      spoiled: '',
      gravity: 1,
      shows_at: null,
    };
    expect(truthPlace(t)).toBe('line 4');
    expect(truthPlace({ ...t, lines: [4, 9] })).toBe('lines 4 to 9');
    expect(truthPlace({ ...t, lines: null, step: 'zero-y' })).toBe('zero Y on the card');
    expect(truthPlace({ ...t, lines: null })).toBe('');
  });
  it('says what an answer was worth', () => {
    const said = saidOf('feed', { line: 7 });
    const of = (what: boolean, place: boolean) => verdict({ points: 0, what, place }, said);
    expect(new Set([of(true, true), of(true, false), of(false, true), of(false, false)]).size).toBe(4);
    expect(verdict({ points: 0, what: false, place: false }, null)).toBe('Given up');
  });
});
