import type { Decision, OpSheet, Override } from '../../api/types';

const none: Override = { tool: null, rpm: null, feed: null, depth: null, width: null };

/** The decision that changes some numbers of a step and keeps what was overruled before; with nothing left it is the proposal again. */
export function overruled(op: OpSheet, what: Partial<Override>): Decision {
  const change = { ...none, ...op.settled, ...what };
  const blank = Object.values(change).every((v) => v === null);
  return { about: 'operation', id: op.op.id, change: blank ? null : change };
}
