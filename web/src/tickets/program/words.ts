/** A line of program text in plain words, by the core's table of what words mean. */
import type { Meaning } from '../../api/types';
import { say, type Units } from '../../model/units';

/** What a control's own writing changes of the numbers. */
export interface Writing {
  /** Lengths are in inch. */
  inch: boolean;
  /** Numbers have no point: digits of lengths and of feeds. */
  increments: readonly [number, number] | null;
  /** P of a wait is in milliseconds. */
  milliseconds: boolean;
}

export const PLAIN: Writing = { inch: false, increments: null, milliseconds: false };

/** A line told; `by`: as which control it is written. */
export function words(line: string, language: readonly Meaning[], units: Units, by: Writing = PLAIN): string {
  const comments = [...line.matchAll(/\(([^)]*)\)|;(.*)$/g)].map((m) => (m[1] ?? m[2] ?? '').trim().toLowerCase());
  const code = line
    .replace(/\([^)]*\)/g, '')
    .replace(/;.*$/, '')
    .toUpperCase();
  const value = (letter: string, text: string) => {
    const v = Number(text);
    if (!by.increments || text.includes('.')) return v;
    if ('XYZIJKRQ'.includes(letter)) return v / 10 ** by.increments[0];
    return letter === 'F' ? v / 10 ** by.increments[1] : v;
  };
  const parts = [...code.matchAll(/([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))/g)]
    .map((m) => [m[1] ?? '', value(m[1] ?? '', m[2] ?? '')] as const)
    // The number of a line says nothing, and X of a wait is no place.
    .filter(([letter]) => letter !== 'N');
  // R is a height in a cycle, else an arc's radius; X of a wait is a time.
  const has = (test: (v: number) => boolean) => parts.some(([l, v]) => l === 'G' && test(v));
  const cycle = has((v) => v === 73 || (v >= 81 && v <= 89));
  const waits = has((v) => v === 4);
  const said: string[] = [];
  const at: string[] = [];
  let motion = false;
  for (const [letter, v] of parts) {
    if (waits && letter === 'X') {
      said.push(`${v} s`);
      continue;
    }
    if (letter === 'R' && !cycle) {
      said.push(`radius ${say(by.inch ? v * 25.4 : v, 'mm', units, 3)}`);
      continue;
    }
    const m =
      language.find((x) => x.word === `${letter}${v}`) ??
      language.find((x) => x.word === letter && (x.kind === 'coordinate' || x.kind === 'number'));
    if (!m) {
      if (letter === 'G' || letter === 'M') said.push(`${letter}${v}`);
      continue;
    }
    if (m.kind === 'motion' || m.kind === 'mode') {
      if (m.kind === 'motion') motion = true;
      said.push(m.says);
      continue;
    }
    const scale = by.inch && m.unit.startsWith('mm') ? 25.4 : 1;
    const number =
      m.unit === 'mm'
        ? say(v * scale, 'mm', units, 3)
        : m.unit === ''
          ? `${v}`
          : m.unit === 's'
            ? `${by.milliseconds ? v / 1000 : v} s`
            : m.unit === '1/min'
              ? say(v, m.unit, units, 0)
              : say(v * scale, m.unit, units);
    // A cutter's letter stands at its number.
    const text = m.says.endsWith(m.word) && m.kind === 'number' ? `${m.says}${number}` : `${m.says} ${number}`.trim();
    if (m.kind === 'coordinate') at.push(text);
    else said.push(text);
  }
  if (at.length > 0) said.splice(motion ? 1 : 0, 0, `to ${at.join(', ')}`);
  const text = [...said, ...comments].join('; ');
  return text === '' ? (code.trim() === '' ? 'nothing' : code.trim()) : text;
}
