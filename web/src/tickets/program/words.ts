/** A line of program text in plain words, by the core's table of what words mean. */
import type { Meaning } from '../../api/types';
import { say, type Units } from '../../model/units';

/** `inch`: the text itself is in inch. */
export function words(line: string, language: readonly Meaning[], units: Units, inch = false): string {
  const comments = [...line.matchAll(/\(([^)]*)\)/g)].map((m) => (m[1] ?? '').toLowerCase());
  const code = line
    .replace(/\([^)]*\)/g, '')
    .replace(/;.*$/, '')
    .toUpperCase();
  const parts = [...code.matchAll(/([A-Z])\s*([-+]?\d*\.?\d+)/g)].map((m) => [m[1] ?? '', Number(m[2])] as const);
  const said: string[] = [];
  const at: string[] = [];
  let motion = false;
  for (const [letter, v] of parts) {
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
    const scale = inch && m.unit.startsWith('mm') ? 25.4 : 1;
    const number =
      m.unit === 'mm'
        ? say(v * scale, 'mm', units, 3)
        : m.unit === ''
          ? `${v}`
          : m.unit === 's'
            ? `${v} s`
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
