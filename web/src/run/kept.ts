/** What a browser keeps of runs, so that a card survives a reload, a dead battery and a lost network. */
import type { Me, RunEntry, RunSheet } from '../api/types';

const base = (run: number) => `goldchip-run-${run}`;
const queue = (run: number) => `goldchip-run-${run}-waits`;

function get<T>(key: string): T | null {
  try {
    const text = localStorage.getItem(key);
    return text === null ? null : (JSON.parse(text) as T);
  } catch {
    return null;
  }
}

/** False: there is no room, or the browser keeps nothing. */
function put(key: string, value: unknown): boolean {
  try {
    localStorage.setItem(key, JSON.stringify(value));
    return true;
  } catch {
    return false;
  }
}

export const keptRun = (run: number) => get<RunSheet>(base(run));
export const keptQueue = (run: number) => get<RunEntry[]>(queue(run)) ?? [];
export const keepQueue = (run: number, list: readonly RunEntry[]) =>
  list.length === 0 ? (localStorage.removeItem(queue(run)), true) : put(queue(run), list);

/** The newest runs are kept, older ones make room. */
export function keepRun(run: number, sheet: RunSheet): boolean {
  if (put(base(run), sheet)) return true;
  for (const key of Object.keys(localStorage)) {
    if (/^goldchip-run-\d+$/.test(key) && key !== base(run)) localStorage.removeItem(key);
  }
  return put(base(run), sheet);
}

/** Whoever signs out leaves nothing to be read here; what waits to be sent stays for them. */
export function forget() {
  for (const key of Object.keys(localStorage)) {
    if (key === 'goldchip-me' || /^goldchip-run-\d+$/.test(key)) localStorage.removeItem(key);
  }
}

/** Who was signed in here last: a card goes on under that name while the house is away. */
export const keptMe = () => get<Me>('goldchip-me');
export const keepMe = (me: Me) => put('goldchip-me', me);
