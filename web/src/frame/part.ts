import { createContext, useContext } from 'react';
import type { Decision, PartSheet, Place } from '../api/types';
import type { Picked } from '../stage/scene';

/** What the Part ticket may use; it is there before any plan is. */
export interface PartDesk {
  id: number;
  part: PartSheet;
  /** What is up in the plan's setups, once there is one. */
  cutFrom: readonly string[] | null;
  faces: readonly number[];
  setFaces: (f: readonly number[]) => void;
  places: readonly Place[];
  setPlaces: (p: readonly Place[]) => void;
  decide: (d: Decision) => void;
  /** Places pressed on the stage, one or two. */
  picked: readonly [Picked | null, Picked | null];
  clearPicked: () => void;
  /** The revision before is shown over this one. */
  over: boolean;
  setOver: (on: boolean) => void;
  /** The file's other solids are shown around it. */
  beside: boolean;
  setBeside: (on: boolean) => void;
  /** Give a new revision of the file. */
  revise: (f: File) => void;
  /** Changes with whatever changes the part. */
  revision: number;
}

export const PartContext = createContext<PartDesk | null>(null);

export function usePart(): PartDesk {
  const p = useContext(PartContext);
  if (!p) throw new Error('the part ticket stands outside a job');
  return p;
}
