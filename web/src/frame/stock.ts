import { createContext, useContext } from 'react';
import type { Decision, JobState, Sheet, Shop } from '../api/types';

/** What the Stock ticket may use; it is there as soon as the file is read. */
export interface StockDesk {
  id: number;
  state: JobState;
  shop: Shop;
  /** The plan, once there is one. */
  sheet: Sheet | null;
  decide: (d: Decision) => void;
}

export const StockContext = createContext<StockDesk | null>(null);

export function useStock(): StockDesk {
  const s = useContext(StockContext);
  if (!s) throw new Error('the stock ticket stands outside a job');
  return s;
}
