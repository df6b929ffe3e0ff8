/** Moving a step of a side: what the decision says, and what it would break. */
import type { OpSheet } from '../../api/types';

const without = (ids: readonly string[], id: string) => ids.filter((x) => x !== id);

/** The order with a step moved to an index. */
export function moved(ids: readonly string[], id: string, at: number): string[] {
  const rest = without(ids, id);
  return [...rest.slice(0, Math.max(0, at)), id, ...rest.slice(Math.max(0, at))];
}

/**
 * The decision that puts a step at an index: it goes directly before another. Moved to the end there is none behind it, so the
 * last one goes before it. Null where nothing moves.
 */
export function move(ids: readonly string[], id: string, at: number): { id: string; before: string } | null {
  const next = moved(ids, id, at);
  if (next.every((x, k) => x === ids[k])) return null;
  const k = next.indexOf(id);
  const behind = next[k + 1];
  if (behind) return { id, before: behind };
  const last = next[k - 1];
  return last ? { id: last, before: id } : null;
}

/** What an order would break, in words. */
export function breaks(ops: readonly OpSheet[], id: string, at: number): string[] {
  if (at < 0 || at >= ops.length) return [];
  const next = moved(
    ops.map((o) => o.op.id),
    id,
    at,
  );
  const title = (x: string) => ops.find((o) => o.op.id === x)?.op.title ?? 'a step';
  return ops.flatMap((o) =>
    o.needs
      .filter(
        (n) =>
          next.indexOf(n.first) > next.indexOf(o.op.id) && ops.findIndex((x) => x.op.id === n.first) < ops.indexOf(o),
      )
      .map((n) => `${o.op.title} would come before ${title(n.first)}: ${n.why}`),
  );
}
