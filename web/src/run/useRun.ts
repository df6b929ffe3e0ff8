import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { api, away } from '../api';
import type { Me, RunAct, RunEntry, RunSheet, RunStanding } from '../api/types';
import { listen } from '../frame/stream';
import { refuse } from '../frame/settings';
import { stateOf } from '../model/run';
import { keepQueue, keepRun, keptQueue, keptRun } from './kept';

/** So long after a failure it is tried again, ms. */
const AGAIN = 3000;

const word = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, '0')).join('');

export interface AtRun {
  sheet: RunSheet | null;
  /** With what waits here counted in. */
  state: RunStanding | null;
  /** Acts that are not saved in the house yet. */
  waits: number;
  /** The house does not answer. */
  offline: boolean;
  /** This browser keeps what was typed. */
  keeps: boolean;
  trouble: string | null;
  put: (act: RunAct) => void;
}

/** A run: what the house has of it, what waits here to be sent, and where that leaves it. Acts go out in order, each until it is taken or refused. */
export function useRun(job: number, run: number, me: Me): AtRun {
  const path = `/api/jobs/${job}/runs/${run}`;
  const [sheet, setSheet] = useState<RunSheet | null>(() => keptRun(run));
  const [queue, setQueue] = useState<RunEntry[]>(() => keptQueue(run));
  const [offline, setOffline] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [keeps, setKeeps] = useState(true);
  const waiting = useRef(queue);
  const busy = useRef(false);

  const take = useCallback(
    (s: RunSheet) => {
      setSheet(s);
      setOffline(false);
      setTrouble(null);
      setKeeps(keepRun(run, s));
    },
    [run],
  );
  const hold = useCallback(
    (list: RunEntry[]) => {
      waiting.current = list;
      setQueue(list);
      setKeeps(keepQueue(run, list));
    },
    [run],
  );

  const look = useCallback(async () => {
    try {
      take(await api.get<RunSheet>(path));
    } catch (e) {
      if (away(e)) setOffline(true);
      else setTrouble(e instanceof Error ? e.message : 'The run cannot be read');
    }
  }, [path, take]);

  const send = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      for (;;) {
        const first = waiting.current[0];
        // What somebody else typed on this device goes out under their own name, when they are back.
        if (!first || first.who !== me.name) break;
        const { id, at_ms, act } = first;
        take(await api.post<RunSheet>(`${path}/entries`, { id, at_ms, act }));
        hold(waiting.current.filter((e) => e.id !== first.id));
      }
    } catch (e) {
      if (away(e)) setOffline(true);
      else {
        // What the house refuses is told and let go; what hung on it would be refused too, one by one.
        refuse(e);
        hold(waiting.current.slice(1));
        await look();
      }
    } finally {
      busy.current = false;
    }
  }, [path, take, hold, look, me.name]);

  useEffect(() => {
    void look();
  }, [look]);
  useEffect(() => {
    if (queue.length === 0 && !offline) return undefined;
    const t = window.setInterval(() => void (waiting.current.length > 0 ? send() : look()), AGAIN);
    return () => window.clearInterval(t);
  }, [queue.length, offline, send, look]);
  useEffect(() => {
    const back = () => void (waiting.current.length > 0 ? send() : look());
    window.addEventListener('online', back);
    return () => window.removeEventListener('online', back);
  }, [send, look]);
  useEffect(
    () =>
      listen({
        card: (c) => {
          if (c.id === job && waiting.current.length === 0) void look();
        },
      }),
    [job, look],
  );

  const put = useCallback(
    (act: RunAct) => {
      hold([...waiting.current, { id: word(), who: me.name, at_ms: Date.now(), act }]);
      void send();
    },
    [hold, send, me.name],
  );

  const state = useMemo(
    () => (sheet ? stateOf(sheet.card, sheet.began_ms, [...sheet.entries, ...queue]) : null),
    [sheet, queue],
  );
  return { sheet, state, waits: queue.length, offline, keeps, trouble, put };
}
