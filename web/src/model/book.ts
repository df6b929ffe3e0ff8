/** Entries of the shop's book: how a field is shown, and how lists of numbers are typed. */
import type { BookField, Chapter } from '../api/types';
import { read, say, show, type Units } from './units';

export type Entry = Record<string, unknown>;

/** So many digits stand after the point at most. */
export const DIGITS = 5;

const numbers = (v: unknown): number[] => (Array.isArray(v) ? v.filter((x): x is number => typeof x === 'number') : []);

/** Several numbers in one line of a form: 6; 10; 14. */
export const listed = (v: unknown, unit: string, units: Units): string =>
  numbers(v)
    .map((x) => show(x, unit, units, DIGITS).text)
    .join('; ');

/** What was typed as several numbers: each may be arithmetic or have a unit. A semicolon, or a comma with a space, stands between them. */
export function readList(
  text: string,
  unit: string,
  units: Units,
): { kind: 'wrong'; why: string } | { kind: 'numbers'; values: number[] } {
  const values: number[] = [];
  for (const part of text.split(/;|,\s+/).map((p) => p.trim())) {
    if (part === '') continue;
    const v = read(part, unit, units);
    if (v.kind === 'wrong') return { kind: 'wrong', why: `${part}: ${v.why}` };
    if (v.kind === 'number') values.push(v.value);
  }
  return { kind: 'numbers', values };
}

/** A field in a list of entries. */
export function shown(f: BookField, v: unknown, units: Units, material: (id: string) => string): string {
  if (v === null || v === undefined) return '–';
  switch (f.kind) {
    case 'flag':
      return v === true ? 'yes' : 'no';
    case 'choice':
      return String(v as string).replaceAll('_', ' ');
    case 'material':
      return material(String(v as string));
    case 'numbers': {
      const list = numbers(v);
      const some = list.length > 6 ? [...list.slice(0, 2), ...list.slice(-1)] : list;
      const text = some.map((x) => show(x, f.unit, units, DIGITS).text);
      if (list.length > 6) text.splice(2, 0, '…');
      return text.join(', ');
    }
    case 'sizes':
      return numbers(v)
        .map((x) => show(x, f.unit, units, DIGITS).text)
        .join(' × ');
    case 'text':
    case 'line':
    case 'long':
      return String(v as string);
    default:
      return typeof v === 'number' ? say(v, f.unit, units, DIGITS) : '–';
  }
}

/** What is still missing before an entry can be kept: the first field's words; null: nothing. */
export const missing = (c: Chapter, e: Entry): string | null =>
  c.fields.find((f) => {
    const v = e[f.key];
    if (f.kind === 'text') return typeof v !== 'string' || v.trim() === '';
    if (f.kind === 'number' || f.kind === 'count') return typeof v !== 'number';
    return false;
  })?.words ?? null;
