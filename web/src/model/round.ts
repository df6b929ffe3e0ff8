import type { CardStep, Marks, Said, Truth, Wrong } from '../api/types';

/** What may be wrong, in the order in which one would ask. */
export const WRONGS: readonly { id: Wrong; words: string }[] = [
  { id: 'nothing', words: 'Nothing is wrong' },
  { id: 'depth', words: 'A cut goes too deep' },
  { id: 'sign', words: 'A minus is lost' },
  { id: 'feed', words: 'A feed is a place off' },
  { id: 'speed', words: 'A speed is a place off' },
  { id: 'rapid', words: 'Rapid where it should feed' },
  { id: 'arc', words: 'An arc goes the other way' },
  { id: 'length', words: 'The length of another cutter' },
  { id: 'coolant', words: 'The coolant is not on' },
  { id: 'left_out', words: 'A step is left out' },
  { id: 'order', words: 'Two steps are in the wrong order' },
  { id: 'cutter', words: 'The card lists another cutter' },
  { id: 'zero', words: 'The card has a zero elsewhere' },
];

export const wrongWords = (w: Wrong) => WRONGS.find((x) => x.id === w)?.words ?? w;

/** A step of the card that a fault may stand on, from the end of its id: "side-1/zero-x". */
export function cardStep(id: string): CardStep | null {
  const last = id.split('/').at(-1);
  return last === 'cutters' || last === 'zero-x' || last === 'zero-y' || last === 'zero-z' ? last : null;
}

const stepWords: Record<CardStep, string> = {
  cutters: 'cutters',
  'zero-x': 'zero X',
  'zero-y': 'zero Y',
  'zero-z': 'zero Z',
};

/** Where somebody points. */
export type Place = { line: number } | { step: CardStep } | null;

export const placeWords = (p: Place): string =>
  p === null ? '' : 'line' in p ? `line ${p.line} of the text` : `${stepWords[p.step]} on the card`;

/** An answer with its place; nothing wrong has none. */
export const saidOf = (wrong: Wrong, p: Place): Said => ({
  wrong,
  line: wrong !== 'nothing' && p && 'line' in p ? p.line : null,
  step: wrong !== 'nothing' && p && 'step' in p ? p.step : null,
});

/** Where it was, in words. */
export function truthPlace(t: Truth): string {
  if (t.step) return `${stepWords[t.step]} on the card`;
  if (!t.lines) return '';
  const [a, b] = t.lines;
  return a === b ? `line ${a}` : `lines ${a} to ${b}`;
}

/** What marks say. */
export function verdict(m: Marks, said: Said | null): string {
  if (said === null) return 'Given up';
  if (m.what && m.place) return 'Seen: what and where';
  if (m.what) return 'Right what it is, but it stands elsewhere';
  return m.place ? 'Right where it is, but it is something else' : 'Not that';
}
