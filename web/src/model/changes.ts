/** What a new plan changed against the one before, in a few words: a decision keeps all others, the proposals follow. */
import type { OpSheet, Sheet } from '../api/types';
import { say, saySize, type Units } from './units';

const ops = (s: Sheet) => new Map(s.sides.flatMap((x) => x.operations.map((o) => [o.op.id, o] as const)));

/** The numbers of a step that a person at the machine would notice. */
const numbers = ({ op }: OpSheet) =>
  [
    op.tool,
    op.mill?.rpm.value,
    op.mill?.feed.value,
    op.mill?.ap.value,
    op.mill?.ae,
    op.drill?.rpm.value,
    op.drill?.feed,
    op.drill?.peck,
  ].join();

const many = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`;

export function changes(old: Sheet, now: Sheet, units: Units): string[] {
  const out: string[] = [];
  if (old.stock.material !== now.stock.material) out.push(now.stock.material_name);
  if (old.stock.size.join() !== now.stock.size.join()) out.push(`block ${saySize(now.stock.size, units)}`);
  if (old.hold.up !== now.hold.up) out.push(`${now.hold.up} up first`);
  const [a, b] = [ops(old), ops(now)];
  const fresh = [...b.keys()].filter((id) => !a.has(id)).length;
  const gone = [...a.keys()].filter((id) => !b.has(id)).length;
  const other = [...b].filter(([id, o]) => {
    const was = a.get(id);
    return was && numbers(was) !== numbers(o);
  }).length;
  if (fresh > 0) out.push(`${many(fresh, 'step')} new`);
  if (gone > 0) out.push(`${many(gone, 'step')} gone`);
  if (other > 0) out.push(`other numbers in ${many(other, 'step')}`);
  if (fresh === 0 && gone === 0 && [...a.keys()].join() !== [...b.keys()].join()) out.push('another order');
  if (Math.abs(old.proof.minutes - now.proof.minutes) >= 0.05)
    out.push(`${say(old.proof.minutes, '', units, 1)} → ${say(now.proof.minutes, '', units, 1)} min`);
  if (old.proof.verdict !== now.proof.verdict) out.push(now.proof.verdict);
  const known = new Set(old.proof.findings.map((f) => f.id));
  const told = now.proof.findings.filter((f) => !known.has(f.id) && f.severity !== 'note');
  if (told[0])
    out.push(told.length === 1 ? `new: ${told[0].what}` : `${told.length} new findings, first: ${told[0].what}`);
  return out;
}
