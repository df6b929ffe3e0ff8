import type { MachineCard, RunStep } from '../api/types';
import { Big, Told } from './parts';
import type { AtMachine } from './useMachine';

interface Props {
  at: AtMachine;
  card: MachineCard;
  step: RunStep;
  values: Readonly<Record<string, number>>;
}

/** What the machine on the line is told in a step, in place of hands on its panel. */
export function MachineActs({ at, card, step, values }: Props) {
  const s = at.says?.state;
  if (!at.mine || !s) return null;
  const key = step.id.slice(0, step.id.lastIndexOf('/'));
  const program = card.programs.find((p) => p.setup === step.setup);
  const free = s.mode !== 'running';
  if (step.kind === 'program' && program) {
    const same = s.sum === program.sum;
    return (
      <>
        <Big isDisabled={!free} onPress={() => void at.ask({ do: 'load', file: program.file })}>
          Load {program.file} into the machine
        </Big>
        {s.sum ? (
          <p className="quiet" data-same={same}>
            {same ? 'The control has this very text: sum ' : 'The control has another text: sum '}
            {s.sum}
          </p>
        ) : null}
      </>
    );
  }
  if (step.kind === 'dry_run') {
    const z = values[`${key}/zero-z/offset`];
    const raise = step.raise_mm ?? 0;
    if (z === undefined || raise <= 0) return null;
    const raised = Math.abs(s.zero_mm[2] - z - raise) < 1e-6;
    const run = async () => {
      const up = await at.ask({ do: 'zero', axis: 2, value: z + raise });
      if (up) await at.ask({ do: 'start' });
    };
    const back = async () => {
      await at.ask({ do: 'reset' });
      await at.ask({ do: 'zero', axis: 2, value: z });
    };
    return raised ? (
      <Big isDisabled={!free} onPress={() => void back()}>
        Set Z of the zero back
      </Big>
    ) : (
      <Big isDisabled={!free} onPress={() => void run()}>
        Raise Z by {raise} mm and run it
      </Big>
    );
  }
  if (step.kind === 'first_cut') {
    const ask = step.ways.flatMap((w) => w.asks).find((a) => a.reads?.kind === 'height');
    if (!ask?.reads || ask.reads.kind !== 'height' || ask.planned === null) return null;
    const { tool } = ask.reads;
    const more = ask.planned - ask.reads.nominal_mm;
    const length = values[`t${tool}/length`] ?? card.tools.find((t) => t.number === tool)?.length_mm ?? 0;
    const longer = Math.abs((s.lengths_mm[tool] ?? 0) - length - more) < 1e-6;
    return longer ? (
      <p className="quiet">
        The control has T{tool} {more.toFixed(2)} mm longer now: the first pass stays that much too high.
      </p>
    ) : (
      <Big isDisabled={!free} onPress={() => void at.ask({ do: 'length', tool, value: length + more })}>
        Make T{tool} {more.toFixed(2)} mm longer in the control
      </Big>
    );
  }
  if (step.kind === 'run') {
    if (program && s.sum !== program.sum && !s.program?.includes('-from-'))
      return (
        <Told $kind="doubt">
          The control has another program.{' '}
          <Big onPress={() => void at.ask({ do: 'load', file: program.file })}>Load {program.file}</Big>
        </Told>
      );
    return free && s.mode !== 'alarm' && s.mode !== 'off' && s.mode !== 'lost' ? (
      <Big onPress={() => void at.ask({ do: 'start' })}>Cycle start</Big>
    ) : null;
  }
  if (step.kind === 'by_hand' && s.mode === 'stopped')
    return <Big onPress={() => void at.ask({ do: 'start' })}>Cycle start: to the end of the program</Big>;
  return null;
}
