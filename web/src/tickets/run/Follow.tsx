import { useEffect, useState } from 'react';
import type { MachineCard } from '../../api/types';
import { useJob } from '../../frame/job';
import { atLine } from '../../model/strip';
import { Button, Line, Quiet } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';
import { MODES, Place } from '../../run/Machine';
import { useMachine } from '../../run/useMachine';

interface Props {
  run: number;
  card: MachineCard | undefined;
  /** The plan has changed since: its strip is not that of the programs. */
  stale: boolean;
}

/** The machine that an open run has: strip and stage go where its line is. */
export function Follow({ run, card, stale }: Props) {
  const { id, sheet, strip, cursor } = useJob();
  const [follows, setFollows] = useState(true);
  const at = useMachine(id, run, true);
  const s = at.says?.state;
  const program = card?.programs.find((p) => p.sum === s?.sum);
  const side = program ? sheet.sides.findIndex((x) => x.name === program.setup) : -1;
  const line = s?.line ?? 0;
  const moves = s?.mode === 'running' || s?.mode === 'held' || s?.mode === 'stopped' || s?.mode === 'alarm';
  const setup = strip?.setups[side];
  useEffect(() => {
    if (at.mine && follows && !stale && moves && setup && line > 0)
      cursor.set({ setup: side, at: atLine(setup, line) });
  }, [at.mine, follows, stale, moves, setup, side, line, cursor]);
  if (!at.says?.there) return null;
  if (!at.says.heard || !s)
    return <p role="alert">{at.says.why}. If the machine runs it goes on by itself: somebody stays beside it.</p>;
  if (!at.mine)
    return (
      <p>
        <Quiet>
          {s.who ? `The machine is taken by ${s.who}.` : 'A simulated machine is on the line: see the card.'}
        </Quiet>
      </p>
    );
  return (
    <section aria-label="Machine" data-machine={s.mode}>
      <Line style={{ flexWrap: 'wrap' }}>
        <Stamp kind={s.mode === 'alarm' || s.mode === 'off' ? 'stop' : 'decided'} words={MODES[s.mode]} />
        {s.line > 0 ? (
          <b>
            line {s.line} of {s.lines}
          </b>
        ) : null}
        <Place state={s} />
        {s.tool > 0 ? <span>T{s.tool}</span> : null}
        {s.mode === 'running' ? (
          <Button $small onPress={() => void at.ask({ do: 'hold' })}>
            Hold
          </Button>
        ) : null}
        <Button $small aria-pressed={follows} onPress={() => setFollows(!follows)}>
          {follows ? 'The stage follows' : 'Follow on the stage'}
        </Button>
      </Line>
      {s.says && s.mode !== 'running' ? <p>{s.says}</p> : null}
      {s.program && side < 0 && moves ? (
        <p>
          <Quiet>{s.program} is no program of this card as it was made: the stage stays where it is.</Quiet>
        </p>
      ) : null}
    </section>
  );
}
