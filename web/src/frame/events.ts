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
      void client.invalidateQueries({ queryKey: ['runs', id] });
      if (!same) void client.invalidateQueries({ queryKey: ['job', id] });
    };
    return listen({
      card: changed,
      bench: (page) => {
        page.jobs.forEach(changed);
        // An older job is not among the newest: it is asked for by itself.
        if (!page.jobs.some((j) => j.id === id)) void client.invalidateQueries({ queryKey: ['job', id] });
      },
      gone: (gone) => {
        if (gone === id) void client.invalidateQueries({ queryKey: ['job', id] });
      },
    });
  }, [client, id]);
}
