/** Lengths on the screen: what the core says in mm is shown in mm or inch, and typed in either. */

export type Units = 'mm' | 'inch';

const INCH = 25.4;

/** Units of the core that change with the person's choice, and what they become. */
const LENGTHS: Record<string, { inch: string; power: number; digits: [number, number] }> = {
  mm: { inch: 'in', power: 1, digits: [2, 4] },
  'mm/min': { inch: 'in/min', power: 1, digits: [0, 1] },
  'mm/mm': { inch: 'in/in', power: 0, digits: [4, 4] },
  'mm³': { inch: 'in³', power: 3, digits: [0, 3] },
  'mm²': { inch: 'in²', power: 2, digits: [0, 2] },
};

const trim = (text: string) => (text.includes('.') ? text.replace(/\.?0+$/, '') : text);

/** Groups of three with a thin space: 12 500. */
const grouped = (text: string) => {
  const [whole = '', part] = text.split('.');
  const g = whole.replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f');
  return part === undefined ? g : `${g}.${part}`;
};

export interface Shown {
  text: string;
  unit: string;
}

/** A number of the core as it is shown. `digits` overrides how many stand after the point (in mm). */
export function show(value: number, unit: string, units: Units, digits?: number): Shown {
  if (!Number.isFinite(value)) return { text: '–', unit: '' };
  const l = LENGTHS[unit];
  if (l) {
    const inch = units === 'inch';
    const v = inch ? value / INCH ** l.power : value;
    const base = digits === undefined ? l.digits[inch ? 1 : 0] : inch && l.power > 0 ? digits + 2 : digits;
    return { text: grouped(trim(v.toFixed(base))), unit: inch ? l.inch : unit };
  }
  const d = digits ?? (Math.abs(value) >= 100 ? 0 : Math.abs(value) >= 1 ? 2 : 4);
  return { text: grouped(trim(value.toFixed(d))), unit: unit === '1/min' ? 'rpm' : unit };
}

/** The same as one string. */
export function say(value: number, unit: string, units: Units, digits?: number): string {
  const s = show(value, unit, units, digits);
  return s.unit ? `${s.text} ${s.unit}` : s.text;
}

/** "74 × 48 × 16 mm"; in inch to three places, or to what is asked. */
export function saySize(size: readonly number[], units: Units, digits?: number): string {
  const parts = size.map((v) => show(v, 'mm', units, digits ?? (units === 'inch' ? 1 : undefined)));
  return `${parts.map((p) => p.text).join(' × ')} ${parts[0]?.unit ?? ''}`;
}

/** Minutes and seconds: 12:41. */
export function clock(seconds: number): string {
  const s = Math.max(0, Math.round(seconds));
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
}

export type Typed = { kind: 'empty' } | { kind: 'wrong'; why: string } | { kind: 'number'; value: number };

/**
 * What was typed, in the core's unit: `3/8`, `1.5+0.2`, `12 mm`, `2 * (3/8 in)`. A number without unit is in the unit shown;
 * one with a unit is a length of its own, so `10 mm + 1/8 in` is what it says.
 */
export function read(text: string, unit: string, units: Units): Typed {
  const src = text
    .replace(/,/g, '.')
    .replace(/[\u202f\u00a0]/g, '')
    .trim();
  if (src === '') return { kind: 'empty' };
  const length = LENGTHS[unit]?.power === 1;
  const scale = length && units === 'inch' ? INCH : 1;
  let at = 0;
  /** A value, and whether a unit stood with it: then it is already in the core's unit. */
  interface V {
    v: number;
    known: boolean;
  }
  const fail = (why: string): never => {
    throw new Error(why);
  };
  const space = () => {
    while (src[at] === ' ') at += 1;
  };
  const eat = (token: string) => {
    space();
    if (src.startsWith(token, at)) {
      at += token.length;
      return true;
    }
    return false;
  };
  const toKnown = (a: V): V => (a.known ? a : { v: a.v * scale, known: true });
  const suffix = (a: V): V => {
    space();
    const m = /^(mm|inch|in|"|”)(\/min)?/.exec(src.slice(at));
    if (!m) return a;
    if (!length) fail(`${m[0]} is no unit here`);
    at += m[0].length;
    return { v: a.v * (m[1] === 'mm' ? 1 : INCH), known: true };
  };
  const atom = (): V => {
    if (eat('(')) {
      const v = sum();
      if (!eat(')')) fail('A ) is missing');
      return v;
    }
    if (eat('-') || eat('−')) {
      const v = atom();
      return { ...v, v: -v.v };
    }
    space();
    // 1 1/2: a whole and a fraction.
    const mixed = /^(\d+) +(\d+) *\/ *(\d+)(?![\d.])/.exec(src.slice(at));
    if (mixed) {
      at += mixed[0].length;
      const [whole, over, under] = mixed.slice(1).map(Number) as [number, number, number];
      if (under === 0) fail('Division by zero');
      return { v: whole + over / under, known: false };
    }
    const m = /^\d*\.?\d+|^\d+\.?/.exec(src.slice(at));
    if (!m) return fail(at >= src.length ? 'Something is missing at the end' : `“${src.slice(at)}” is no number`);
    at += m[0].length;
    return { v: Number(m[0]), known: false };
  };
  const product = (): V => {
    let a = atom();
    for (;;) {
      const times = eat('*') || eat('×');
      if (!times && !eat('/')) return suffix(a);
      const b = atom();
      if (!times && b.v === 0) fail('Division by zero');
      a = { v: times ? a.v * b.v : a.v / b.v, known: a.known || (times && b.known) };
    }
  };
  const sum = (): V => {
    let a = product();
    for (;;) {
      const plus = eat('+');
      if (!plus && !(eat('-') || eat('−'))) return a;
      const b = product();
      if (a.known !== b.known) [a] = [toKnown(a)];
      const c = a.known ? toKnown(b) : b;
      a = { v: plus ? a.v + c.v : a.v - c.v, known: a.known };
    }
  };
  try {
    const v = sum();
    space();
    if (at < src.length) return { kind: 'wrong', why: `“${src.slice(at)}” is not understood` };
    return { kind: 'number', value: toKnown(v).v };
  } catch (e) {
    return { kind: 'wrong', why: e instanceof Error ? e.message : 'This is no number' };
  }
}

/** With a capital at its start. */
export const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1);
