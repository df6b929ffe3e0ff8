import { expect, test } from 'vitest';
import type { BookField, Chapter } from '../api/types';
import { listed, missing, readList, shown } from './book';

const field = (kind: BookField['kind'], unit = 'mm'): BookField => ({
  key: 'x',
  words: 'X',
  unit,
  kind,
  of: [],
  rows: [],
  column: true,
  fixed: false,
});

test('several numbers are typed in either unit', () => {
  expect(listed([6, 10.5], 'mm', 'mm')).toBe('6; 10.5');
  expect(listed([25.4, 12.7], 'mm', 'inch')).toBe('1; 0.5');
  expect(readList('6; 10,5; 1/2 in', 'mm', 'mm')).toEqual({ kind: 'numbers', values: [6, 10.5, 12.7] });
  expect(readList('1/4, 1 1/2', 'mm', 'inch')).toEqual({ kind: 'numbers', values: [6.35, expect.closeTo(38.1)] });
  expect(readList('', 'mm', 'mm')).toEqual({ kind: 'numbers', values: [] });
  expect(readList('6; ten', 'mm', 'mm')).toMatchObject({ kind: 'wrong' });
});

test('a field is shown in the unit of the screen', () => {
  const name = (id: string) => (id === 'al' ? 'Aluminium' : id);
  expect(shown(field('number'), 25.4, 'inch', name)).toBe('1 in');
  expect(shown(field('number', 'kN'), 12, 'inch', name)).toBe('12 kN');
  expect(shown(field('sizes'), [180, 145], 'mm', name)).toBe('180 × 145');
  expect(shown(field('numbers'), [1, 2, 3, 4, 5, 6, 7], 'mm', name)).toBe('1, 2, …, 7');
  expect(shown(field('material'), 'al', 'mm', name)).toBe('Aluminium');
  expect(shown(field('line'), 'crowns', 'mm', name)).toBe('crowns');
  expect(shown(field('choice'), 'thread_mill', 'mm', name)).toBe('thread mill');
  expect(shown(field('maybe'), null, 'mm', name)).toBe('–');
});

test('an entry without a name cannot be kept', () => {
  const c = { fields: [{ ...field('text', ''), key: 'name', words: 'Name' }, field('number')] } as unknown as Chapter;
  expect(missing(c, { name: ' ', x: 1 })).toBe('Name');
  expect(missing(c, { name: 'a', x: null })).toBe('X');
  expect(missing(c, { name: 'a', x: 1 })).toBeNull();
});
