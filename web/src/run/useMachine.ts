import { useCallback, useEffect, useRef, useState } from 'react';
import { api } from '../api';
import type { MachineAsk, MachineSays } from '../api/types';
import { refuse } from '../frame/settings';

/** So often a machine that runs is looked at, and one that stands, ms. */
const LOOKS = { running: 400, standing: 1500 };

export interface AtMachine {
  says: MachineSays | null;
  /** This run has it and it is heard. */
  mine: boolean;
  /** Ask for something; the number that it gave, if any. Never sent twice: an order that was given again could start what had stopped. */
  ask: (a: MachineAsk) => Promise<MachineSays | null>;
}

/** The machine on the house's line, as a run sees it. */
export function useMachine(job: number, run: number, watch: boolean): AtMachine {
  const path = `/api/jobs/${job}/runs/${run}/machine`;
  const [says, setSays] = useState<MachineSays | null>(null);
  const alive = useRef(true);
  const look = useCallback(async () => {
    try {
      const now = await api.get<MachineSays>(path);
      if (alive.current) setSays(now);
    } catch {
      // The house is away: told by the card itself.
      if (alive.current)
        setSays((s) => (s ? { ...s, heard: false, why: 'The house is away, so the machine is not heard' } : s));
    }
  }, [path]);
  const running = says?.state?.mode === 'running';
  const there = says?.there ?? true;
  useEffect(() => {
    alive.current = true;
    if (!watch || !there) return undefined;
    void look();
    const t = window.setInterval(() => void look(), running ? LOOKS.running : LOOKS.standing);
    return () => {
      alive.current = false;
      window.clearInterval(t);
    };
  }, [look, watch, running, there]);
  const ask = useCallback(
    async (a: MachineAsk) => {
      try {
        const now = await api.post<MachineSays>(path, a);
        setSays(now);
        return now;
      } catch (e) {
        refuse(e);
        return null;
      }
    },
    [path],
  );
  return { says, mine: (says?.heard && says.mine) ?? false, ask };
}
