import { createContext, useContext } from 'react';
import type { Decision, Finding, JobState, Me, OpSheet, Place, SideSheet, Sheet, Shop, Strip } from '../api/types';
import type { Cursor } from '../model/strip';
import type { Store } from './settings';

export const TICKETS = ['part', 'stock', 'hold', 'order', 'cutters', 'proof', 'program', 'run', 'log'] as const;
export type Ticket = (typeof TICKETS)[number];

/** An operation with the side it belongs to. */
export interface Chosen {
  side: SideSheet;
  sideIndex: number;
  op: OpSheet;
}

/** What every ticket of a job may use. */
export interface Job {
  id: number;
  me: Me;
  state: JobState;
  sheet: Sheet;
  shop: Shop;
  strip: Strip | undefined;
  /** The moment on the proof strip. */
  cursor: Store<Cursor>;
  /** The chosen operation. */
  chosen: Chosen | null;
  choose: (opId: string) => void;
  /** The chosen side, from 0. */
  side: number;
  setSide: (k: number) => void;
  /** Boxes shown on the stage. */
  places: readonly Place[];
  setPlaces: (p: readonly Place[]) => void;
  /** Go to where a finding is: stage, moment and line. */
  show: (f: Finding) => void;
  /** Faces lit on the stage. */
  faces: readonly number[];
  setFaces: (f: readonly number[]) => void;
  decide: (d: Decision) => void;
  go: (t: Ticket) => void;
}

export const JobContext = createContext<Job | null>(null);

export function useJob(): Job {
  const j = useContext(JobContext);
  if (!j) throw new Error('a ticket stands outside a job');
  return j;
}

/** All operations in order. */
export const allOps = (s: Sheet): Chosen[] =>
  s.sides.flatMap((side, sideIndex) => side.operations.map((op) => ({ side, sideIndex, op })));
