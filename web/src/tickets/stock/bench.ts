import { useQuery } from '@tanstack/react-query';
import { rackQuery, stockQuery } from '../../api';
import type { JobState } from '../../api/types';

/** What the rack has for a job, as rack and job stand. */
export function useStockBench(id: number, state: JobState, wanted: boolean) {
  const rack = useQuery({ ...rackQuery, enabled: wanted });
  return useQuery({
    ...stockQuery(id, state.sheet_revision, state.card.revision, rack.data?.acted ?? -1),
    enabled: wanted && rack.data !== undefined,
  });
}
