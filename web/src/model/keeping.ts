/** Sizes and times of what is kept, in words. */

/** "1.5 MB"; thousands are 1024. */
export function bytes(n: number): string {
  const units = ['bytes', 'kB', 'MB', 'GB', 'TB'];
  let k = 0;
  let v = n;
  while (v >= 1024 && k < units.length - 1) {
    v /= 1024;
    k += 1;
  }
  return `${v >= 100 || k === 0 ? Math.round(v) : Number(v.toPrecision(2))} ${units[k] ?? ''}`;
}

/** "2026-11-29 10:04" in UTC, as the server tells it. */
export const when = (at: string) => `${at.slice(0, 10)} ${at.slice(11, 16)} UTC`;

/** Days since then. */
export const age = (at: string, now = Date.now()) => (now - Date.parse(at)) / 86_400_000;
