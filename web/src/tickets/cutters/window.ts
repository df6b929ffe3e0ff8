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
