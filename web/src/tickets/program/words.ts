/** A line of program text (RS274/NGC words) in plain words. */
import { say, type Units } from '../../model/units';

const modes: Record<string, string> = {
  G17: 'arcs lie flat (XY)',
  G20: 'lengths are in inch',
  G21: 'lengths are in mm',
  G40: 'no cutter compensation',
  G43: 'count the cutter’s length',
  G49: 'cutter length no longer counted',
  G53: 'in machine coordinates',
  G54: 'from the work zero of this side',
  G80: 'end of the drilling cycle',
  G90: 'coordinates from zero',
  G91: 'coordinates from where it stands',
  'G91.1': 'arc centres from the start of the arc',
  G94: 'feed in length a minute',
  G98: 'drilling returns to the height it came from',
  G99: 'drilling returns to the clear height',
  M0: 'stop and wait for a person',
  M1: 'stop if the switch says so',
  M2: 'end of the program',
  M3: 'spindle on, clockwise',
  M5: 'spindle off',
  M6: 'change the cutter',
  M7: 'mist on',
  M8: 'coolant on',
  M9: 'coolant off',
  M30: 'end of the program',
};

const motions: Record<string, string> = {
  G0: 'rapid',
  G1: 'cut straight',
  G2: 'cut an arc clockwise',
  G3: 'cut an arc counter-clockwise',
  G4: 'wait',
  G73: 'drill, breaking chips',
  G81: 'drill',
  G82: 'drill and dwell',
  G83: 'drill with pecks',
};

/** `inch`: the text itself is in inch. */
export function words(line: string, units: Units, inch = false): string {
  const comments = [...line.matchAll(/\(([^)]*)\)/g)].map((m) => (m[1] ?? '').toLowerCase());
  const code = line
    .replace(/\([^)]*\)/g, '')
    .replace(/;.*$/, '')
    .toUpperCase();
  const parts = [...code.matchAll(/([A-Z])\s*([-+]?\d*\.?\d+)/g)].map((m) => [m[1] ?? '', Number(m[2])] as const);
  const said: string[] = [];
  const at: string[] = [];
  const length = (v: number) => say(inch ? v * 25.4 : v, 'mm', units, 3);
  for (const [letter, v] of parts) {
    const token = `${letter}${v}`;
    if (motions[token]) said.push(motions[token]);
    else if (modes[token]) said.push(modes[token]);
    else if (letter === 'X' || letter === 'Y' || letter === 'Z') at.push(`${letter} ${length(v)}`);
    else if (letter === 'F') said.push(`feed ${say(inch ? v * 25.4 : v, 'mm/min', units)}`);
    else if (letter === 'S') said.push(`${say(v, '1/min', units, 0)}`);
    else if (letter === 'T') said.push(`cutter T${v}`);
    else if (letter === 'H') said.push(`length offset ${v}`);
    else if (letter === 'R') said.push(`clear height ${length(v)}`);
    else if (letter === 'Q') said.push(`pecks of ${length(v)}`);
    else if (letter === 'P') said.push(`${v} s`);
    else if (letter === 'G' || letter === 'M') said.push(token);
  }
  if (at.length > 0)
    said.splice(said.some((s) => Object.values(motions).includes(s)) ? 1 : 0, 0, `to ${at.join(', ')}`);
  const text = [...said, ...comments].join('; ');
  return text === '' ? (code.trim() === '' ? 'nothing' : code.trim()) : text;
}
