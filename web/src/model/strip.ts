/** The proof strip: all setups one after the other, and where on it a moment, a line or an operation lies. */
import type { Strip, StripOp, StripSetup } from '../api/types';

/** A moment: setup and seconds since its start. */
export interface Cursor {
  setup: number;
  at: number;
}

export const total = (s: Strip) => s.setups.reduce((a, b) => a + b.seconds, 0);

/** Seconds since the start of the first setup. */
export function toTotal(s: Strip, c: Cursor): number {
  let t = c.at;
  for (let k = 0; k < c.setup; k += 1) t += s.setups[k]?.seconds ?? 0;
  return t;
}

export function fromTotal(s: Strip, seconds: number): Cursor {
  let t = Math.max(0, seconds);
  for (let k = 0; k < s.setups.length; k += 1) {
    const len = s.setups[k]?.seconds ?? 0;
    if (t <= len || k === s.setups.length - 1) return { setup: k, at: Math.min(t, len) };
    t -= len;
  }
  return { setup: 0, at: 0 };
}

/** Index of the step that runs at a time: the first that ends at or after it. */
export function stepAt(s: StripSetup, at: number): number {
  let lo = 0;
  let hi = s.end.length - 1;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if ((s.end[mid] ?? 0) < at) lo = mid + 1;
    else hi = mid;
  }
  return Math.max(0, lo);
}

export function opAt(s: StripSetup, at: number): StripOp | undefined {
  return s.ops.find((o) => at >= o.start && at < o.end) ?? s.ops.at(at <= 0 ? 0 : -1);
}

/** The moment at which a line of the text is done. */
export function atLine(s: StripSetup, line: number): number {
  const k = s.line.findIndex((l) => l >= line);
  return k < 0 ? s.seconds : (s.end[k] ?? 0);
}

/** The moment at which the line before or after the one that runs at a time is done. */
export function lineBeside(s: StripSetup, at: number, by: 1 | -1): number {
  const now = s.line[stepAt(s, at)] ?? 0;
  if (by < 0) {
    const k = s.line.findLastIndex((l) => l < now);
    return k < 0 ? 0 : (s.end[k] ?? 0);
  }
  const next = s.line.find((l) => l > now);
  const k = next === undefined ? -1 : s.line.lastIndexOf(next);
  return k < 0 ? s.seconds : (s.end[k] ?? s.seconds);
}

/** The moment one line or one step of the route on or back; past the end of a setup the next one goes on. */
export function beside(s: Strip, c: Cursor, by: 1 | -1, what: 'line' | 'step'): Cursor {
  const t = s.setups[c.setup];
  if (!t) return c;
  if (what === 'line') return { setup: c.setup, at: lineBeside(t, c.at, by) };
  const ends = t.ops.map((o) => o.end);
  const next = by > 0 ? ends.find((e) => e > c.at + 0.01) : ends.findLast((e) => e < c.at - 0.01);
  if (next !== undefined) return { setup: c.setup, at: next };
  const other = s.setups[c.setup + by];
  if (other) return { setup: c.setup + by, at: by > 0 ? (other.ops[0]?.end ?? 0) : other.seconds };
  return by < 0 ? { setup: c.setup, at: 0 } : c;
}

export interface Place {
  x: number;
  y: number;
  z: number;
}

/** Where the cutter's lowest point is at a time, along lines and arcs. */
export function placeAt(s: StripSetup, at: number): Place {
  const k = stepAt(s, at);
  const end = { x: s.x[k] ?? 0, y: s.y[k] ?? 0, z: s.z[k] ?? 0 };
  if (k === 0) return end;
  const from = { x: s.x[k - 1] ?? 0, y: s.y[k - 1] ?? 0, z: s.z[k - 1] ?? 0 };
  const t0 = s.end[k - 1] ?? 0;
  const t1 = s.end[k] ?? 0;
  const f = t1 > t0 ? Math.min(1, Math.max(0, (at - t0) / (t1 - t0))) : 1;
  return along(from, end, s.arc[k], f);
}

/** A point of a step, from its start (f = 0) to its end. */
export function along(from: Place, to: Place, arc: number[] | undefined, f: number): Place {
  const z = from.z + (to.z - from.z) * f;
  const [cx = 0, cy = 0, sweep = 0] = arc ?? [];
  if (sweep === 0) return { x: from.x + (to.x - from.x) * f, y: from.y + (to.y - from.y) * f, z };
  const a = Math.atan2(from.y - cy, from.x - cx) + sweep * f;
  const r = Math.hypot(from.x - cx, from.y - cy);
  return { x: cx + r * Math.cos(a), y: cy + r * Math.sin(a), z };
}

/** The path of the steps of some lines, as points; rapids are told apart. */
export function pathOf(s: StripSetup, lines: readonly [number, number]): { feed: Place[][]; rapid: Place[][] } {
  const feed: Place[][] = [];
  const rapid: Place[][] = [];
  let run: Place[] = [];
  let kind: 'feed' | 'rapid' | null = null;
  const close = () => {
    if (run.length > 1) (kind === 'feed' ? feed : rapid).push(run);
    run = [];
  };
  for (let k = 1; k < s.line.length; k += 1) {
    const line = s.line[k] ?? 0;
    if (line < lines[0] || line > lines[1]) continue;
    const now = (s.feed[k] ?? 0) > 0 ? 'feed' : 'rapid';
    const from = { x: s.x[k - 1] ?? 0, y: s.y[k - 1] ?? 0, z: s.z[k - 1] ?? 0 };
    const to = { x: s.x[k] ?? 0, y: s.y[k] ?? 0, z: s.z[k] ?? 0 };
    if (now !== kind) {
      close();
      kind = now;
      run = [from];
    }
    const sweep = Math.abs(s.arc[k]?.[2] ?? 0);
    const n = Math.max(1, Math.ceil(sweep / 0.2));
    for (let i = 1; i <= n; i += 1) run.push(along(from, to, s.arc[k], i / n));
  }
  close();
  return { feed, rapid };
}

export interface Bin {
  power: number;
  engagement: number;
}

/** The strip in `count` columns of equal time: the greatest power and engagement in each. */
export function bins(s: Strip, count: number): Bin[] {
  const out: Bin[] = Array.from({ length: count }, () => ({ power: 0, engagement: 0 }));
  const all = total(s) || 1;
  let start = 0;
  for (const setup of s.setups) {
    let t0 = start;
    setup.end.forEach((e, k) => {
      const t1 = start + e;
      const a = Math.min(count - 1, Math.floor((t0 / all) * count));
      const b = Math.min(count - 1, Math.floor((Math.max(t0, t1 - 1e-9) / all) * count));
      for (let i = a; i <= b; i += 1) {
        const bin = out[i];
        if (!bin) continue;
        bin.power = Math.max(bin.power, setup.power[k] ?? 0);
        bin.engagement = Math.max(bin.engagement, setup.engagement[k] ?? 0);
      }
      t0 = t1;
    });
    start += setup.seconds;
  }
  return out;
}
