import type { Candidate } from '../../api/types';
import type { PieceOnStage } from '../../stage/scene';

/** A piece for the stage; of a long bar only what lies near the blank. */
export function onStage(c: Candidate): PieceOnStage {
  const d = c.laying.drawing;
  const bar = c.piece.shape.form !== 'plate';
  const loops = d.piece[bar ? 2 : 0];
  const ends = (bar ? d.piece[0].flat().map((p) => p[0]) : d.piece[1].flat().map((p) => p[1])) as number[];
  const blank = d.blank[0].flat().map((p) => p[0]);
  const most = Math.max(...ends);
  const near = bar ? Math.min(most, Math.max(...blank) + 0.4 * (Math.max(...blank) - Math.min(...blank))) : most;
  return { rows: c.laying.piece_from_part, loops, along: bar ? 'x' : 'z', length: near };
}
