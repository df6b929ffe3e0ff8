import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import type { JobCard, JobState } from '../api/types';
import { listen } from './stream';

/** Hears what happens to the job: the card follows at once, the rest is asked for when something is new. */
export function useEvents(id: number) {
  const client = useQueryClient();
  useEffect(() => {
    const changed = (card: JobCard) => {
      if (card.id !== id) return;
      const old = client.getQueryData<JobState>(['job', id]);
      const same = old && old.card.revision === card.revision && old.card.work.kind === card.work.kind;
      if (old) client.setQueryData<JobState>(['job', id], { ...old, card, fresh: old.fresh && Boolean(same) });
      if (!same) void client.invalidateQueries({ queryKey: ['job', id] });
    };
    return listen({
      card: changed,
      bench: (all) => {
        all.forEach(changed);
      },
    });
  }, [client, id]);
}
