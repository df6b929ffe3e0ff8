/**
 * Sentences and names of the core, in the unit of the screen. The core marks each length in its words (`reason::len`, in mm, between two characters
 * that nobody types); here the marked numbers, and nothing else, are written in mm or in inch.
 */
import type { Units } from './units';

const LENGTH = /\uE000([^\uE000\uE001]*)\uE001( mm(?![\p{L}\d²³/]))?/gu;

/** A length that was written in mm, in inch, two digits finer. */
function inch(written: string): string {
  const mm = Number(written);
  if (written.trim() === '' || Number.isNaN(mm)) return written;
  const digits = (written.split('.')[1]?.length ?? 0) + 2;
  const text = (mm / 25.4).toFixed(Math.max(3, digits)).replace(/\.?0+$/, '');
  return written.startsWith('+') ? `+${text}` : text;
}

/** One sentence. */
export function said(text: string, units: Units): string {
  if (!text.includes('\uE000')) return text;
  return text.replace(LENGTH, (_, n: string, unit?: string) =>
    units === 'inch' ? inch(n) + (unit ? ' in' : '') : n + (unit ?? ''),
  );
}

/** Texts that go back to the server as they came, marks and all: they are shown by [`said`] where they stand. */
const AS_THEY_CAME = new Set(['ask', 'blocks', 'decision']);

function walk(value: unknown, units: Units): unknown {
  if (typeof value === 'string') return said(value, units);
  if (Array.isArray(value)) return value.some((v) => typeof v !== 'number') ? value.map((v) => walk(v, units)) : value;
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, AS_THEY_CAME.has(k) ? v : walk(v, units)]));
}

/** All sentences of an answer of the server in the unit of the screen; its numbers stay in mm. */
export const inWordsOf = <T>(units: Units, data: T): T => walk(data, units) as T;
