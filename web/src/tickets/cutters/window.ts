/** The operating window: what the limits allow at each width. */
import type { Window } from '../../api/types';

/** The least of the upper limits at a width. */
export const upper = (w: Window, k: number) =>
  Math.min(...w.curves.filter((c) => c.upper).map((c) => c.fz[k] ?? Infinity));

/** The greatest of the lower limits at a width. */
export const lower = (w: Window, k: number) =>
  Math.max(0, ...w.curves.filter((c) => !c.upper).map((c) => c.fz[k] ?? 0));

/** Some four round numbers up to a value. */
export function nice(most: number): number[] {
  const raw = most / 4;
  const p = 10 ** Math.floor(Math.log10(raw));
  const step = ([1, 2, 2.5, 5, 10].find((m) => m * p >= raw * 0.999) ?? 10) * p;
  return Array.from({ length: Math.floor(most / step + 1e-9) }, (_, k) => Number(((k + 1) * step).toPrecision(6)));
}

/** A place for a label beside a curve. */
export interface Label {
  x: number;
  y: number;
  /** It ends at x, else it begins there. */
  end: boolean;
}

interface Frame {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** Where the names of curves stand: on a point of the curve inside the frame, as far from the other names as there is room. */
export function labels(curves: readonly (readonly (readonly [number, number])[])[], f: Frame): (Label | null)[] {
  const done: Label[] = [];
  return curves.map((c) => {
    let best: Label | null = null;
    let room = -1;
    for (const [x, y] of c) {
      if (y < f.top + 14 || y > f.bottom - 2 || x < f.left + 20) continue;
      const end = x > (f.left + f.right) / 2;
      const here = { x: end ? x - 2 : x + 4, y: y - 5, end };
      const clear = Math.min(
        200,
        ...done.map((d) => Math.hypot((d.x - here.x) / 5, d.y - here.y) + (d.end === here.end ? 0 : 8)),
      );
      if (clear > room + 0.5) [best, room] = [here, clear];
    }
    if (best && room > 10) {
      done.push(best);
      return best;
    }
    return null;
  });
}
