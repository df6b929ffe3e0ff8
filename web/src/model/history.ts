/** The stock at any moment: columns whose upper ends fall as time goes on. Reads what `job::sheet::history_bytes` writes. */

export interface History {
  nx: number;
  ny: number;
  x0: number;
  y0: number;
  pitch: number;
  under: Float32Array;
  /** Upper ends at the start. */
  start: Float32Array;
  at: Float32Array;
  column: Uint32Array;
  top: Float32Array;
  /** Upper end that each fall replaced. */
  before: Float32Array;
}

export function readHistory(bytes: ArrayBuffer): History {
  const head = new Uint32Array(bytes, 0, 3);
  const [nx = 0, ny = 0, falls = 0] = head;
  const place = new Float32Array(bytes, 12, 3);
  const n = nx * ny;
  let at = 24;
  const floats = (count: number) => {
    const a = new Float32Array(bytes, at, count);
    at += count * 4;
    return a;
  };
  const under = floats(n);
  const start = floats(n);
  const times = floats(falls);
  const column = new Uint32Array(bytes, at, falls);
  at += falls * 4;
  const top = floats(falls);
  const before = new Float32Array(falls);
  const now = start.slice();
  for (let k = 0; k < falls; k += 1) {
    const c = column[k] ?? 0;
    before[k] = now[c] ?? 0;
    now[c] = top[k] ?? 0;
  }
  return {
    nx,
    ny,
    x0: place[0] ?? 0,
    y0: place[1] ?? 0,
    pitch: place[2] ?? 1,
    under,
    start,
    at: times,
    column,
    top,
    before,
  };
}

/** A moment of a history; moving it costs only what lies between. */
export class Moment {
  readonly top: Float32Array;
  private next = 0;

  constructor(readonly history: History) {
    this.top = history.start.slice();
  }

  /** Go to a time (s) and give the columns that changed; a column may be named twice. */
  seek(seconds: number): number[] {
    const h = this.history;
    const changed: number[] = [];
    while (this.next < h.at.length && (h.at[this.next] ?? 0) <= seconds) {
      const c = h.column[this.next] ?? 0;
      this.top[c] = h.top[this.next] ?? 0;
      changed.push(c);
      this.next += 1;
    }
    while (this.next > 0 && (h.at[this.next - 1] ?? 0) > seconds) {
      this.next -= 1;
      const c = h.column[this.next] ?? 0;
      this.top[c] = h.before[this.next] ?? 0;
      changed.push(c);
    }
    return changed;
  }
}
