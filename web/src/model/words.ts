/** Sentences and names of the core on a screen in inch: the core writes its lengths in mm, and here they are found by what stands beside them. */
import type { Units } from './units';

const INCH = 25.4;
const NUMBER = /\d+(?:\.\d+)?/g;
/** What follows a length: a word that only lengths have. */
const AFTER =
  /^ (?:deep|down|wide|long|high|thick|tall|apart|across flats|across|from the axis|from the shoulder|from the other end|of wall|clear|open)\b/;
/** What stands before one: Ø, a radius, a sign of a tolerance, a coordinate, or a word that its length follows. */
const BEFORE =
  /(?:Ø|± ?|(?:^|[^\p{L}])R ?|\b[XYZ] ?-?|\b(?:Pocket|Cut-out|ends|Step|Face|face|Undercut|Notch|through|Chamfer|chamfered|Flat|corners of|reach|thick,) )$/u;
/** Numbers that are none: threads, classes, fractions, names of tools and lines, angles, shares. */
const NEVER_BEFORE = /(?:[\p{L}#/.-])$/u;
const NEVER_AFTER = /^(?:°|%| %|\/|-\d|\p{L}|\.\d| × Ø| × M\d)/u;
const MM = /^ ?mm(?![²³/\p{L}])/u;
/** From one length to the next of a row. */
const LINK = /^ (?:×|and|to|or|–|by) $/;

interface Token {
  from: number;
  to: number;
  value: number;
  digits: number;
  length: boolean;
  never: boolean;
}

/** One sentence in inch. What is not plainly a length stays as it is. */
export function wordsInInch(text: string): string {
  const tokens: Token[] = [...text.matchAll(NUMBER)].map((m) => {
    const [from, to] = [m.index, m.index + m[0].length];
    const [before, after] = [text.slice(0, from), text.slice(to)];
    const named = BEFORE.test(before);
    return {
      from,
      to,
      value: Number(m[0]),
      digits: m[0].split('.')[1]?.length ?? 0,
      length: (named || MM.test(after) || AFTER.test(after)) && !NEVER_AFTER.test(after),
      never: (!named && NEVER_BEFORE.test(before)) || NEVER_AFTER.test(after),
    };
  });
  // Three in a row are a body's sizes; two may be the counts of a grid.
  for (const m of text.matchAll(/\d+(?:\.\d+)? × \d+(?:\.\d+)? × \d+(?:\.\d+)?/g))
    for (const t of tokens) if (t.from >= m.index && t.to <= m.index + m[0].length && !t.never) t.length = true;
  // Numbers of one row are all lengths if one of them is.
  const link = (a: Token | undefined, b: Token | undefined) => {
    if (!a || !b || a.length === b.length || a.never || b.never) return;
    if (LINK.test(text.slice(a.to, b.from).replace(/Ø$/, ''))) a.length = b.length = true;
  };
  tokens.forEach((t, k) => link(tokens[k - 1], t));
  for (let k = tokens.length - 1; k > 0; k -= 1) link(tokens[k - 1], tokens[k]);
  let out = '';
  let at = 0;
  for (const t of tokens) {
    if (!t.length || t.never) continue;
    const inch = (t.value / INCH).toFixed(Math.max(3, t.digits + 2));
    out += text.slice(at, t.from) + inch.replace(/\.?0+$/, '');
    at = t.to;
    const unit = MM.exec(text.slice(at));
    if (unit) {
      out += unit[0].replace('mm', 'in');
      at += unit[0].length;
    }
  }
  return out + text.slice(at);
}

/** Texts that are no sentences: keys, names of files, programs. */
const LEFT_ALONE = new Set([
  'id',
  'key',
  'keys',
  'program',
  'file',
  'face',
  'face_ids',
  'question',
  'unit',
  'units',
  'sha',
  'answer',
  'piece',
  'stock',
  'lay',
  'path',
]);

function walk(value: unknown): unknown {
  if (typeof value === 'string') return wordsInInch(value);
  if (Array.isArray(value)) return value.some((v) => typeof v !== 'number') ? value.map(walk) : value;
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, LEFT_ALONE.has(k) ? v : walk(v)]));
}

/** All sentences of an answer of the server in the unit of the screen; its numbers stay in mm. */
export function inWordsOf<T>(units: Units, data: T): T {
  return units === 'inch' ? (walk(data) as T) : data;
}
