/** Faults at the machine: how bad each is, and until when its check still helps. */
import type { Strip, WhatIf, WhatIfCheck } from '../api/types';
import { atLine, type Cursor } from './strip';

export const gravities = ['nothing', 'spoils', 'breaks'] as const;
export type Gravity = (typeof gravities)[number];

export function counted(rows: readonly WhatIf[]): Record<Gravity, number> {
  const out = { nothing: 0, spoils: 0, breaks: 0 };
  for (const r of rows) out[gravities[r.gravity] ?? 'breaks'] += 1;
  return out;
}

/** Faults of one setup and of none, the worst first; all for ''. */
export function ofSetup(rows: readonly WhatIf[], setup: string): WhatIf[] {
  const mine = rows.filter((r) => setup === '' || (r.setup ?? setup) === setup);
  return [...mine].sort((a, b) => b.gravity - a.gravity);
}

/** The check of a fault in few words. */
export function checkWords(c: WhatIfCheck): string {
  switch (c.kind) {
    case 'list':
      return 'the list of cutters';
    case 'short_cut':
      return `a short cut with T${c.tool}`;
    case 'touch':
      return `zero ${'XYZ'[c.axis] ?? ''} touched again`;
    case 'tap':
      return 'tapping it down';
    case 'picture':
      return 'the picture of how it lies';
    case 'indicator':
      return 'an indicator along an edge';
    case 'override':
      return 'a look at the override';
    case 'block':
      return 'measuring the block';
  }
}

/** A moment after which something helps no more. */
export interface LastMoment {
  at: Cursor;
  line: number;
  /** What is over then. */
  words: string[];
}

/**
 * Points of no return. A check helps until the first line at which one of its faults does harm; what stands in the strip itself (a face that a zero was
 * touched on is cut away, the piece is unclamped) is joined to it. In order; what falls on one line is one point.
 */
export function lastMoments(rows: readonly WhatIf[], strip: Strip, names: readonly string[]): LastMoment[] {
  const first = new Map<string, { setup: number; line: number; words: string }>();
  for (const r of rows) {
    const setup = names.indexOf(r.shows_in ?? r.setup ?? '');
    if (r.gravity === 0 || !r.line || !strip.setups[setup]) continue;
    const words = checkWords(r.check);
    const key = `${setup} ${words}`;
    const was = first.get(key);
    if (!was || r.line < was.line) first.set(key, { setup, line: r.line, words: `too late for ${words}` });
  }
  const all = [...first.values()].map((f) => ({ ...f, at: atLine(strip.setups[f.setup]!, f.line) }));
  strip.setups.forEach((s, setup) => {
    for (const n of s.no_return) all.push({ setup, line: n.line, words: n.words, at: n.at });
  });
  all.sort((a, b) => a.setup - b.setup || a.at - b.at);
  const out: LastMoment[] = [];
  for (const f of all) {
    const last = out.at(-1);
    if (last && last.at.setup === f.setup && last.line === f.line) last.words.push(f.words);
    else out.push({ at: { setup: f.setup, at: f.at }, line: f.line, words: [f.words] });
  }
  return out;
}
