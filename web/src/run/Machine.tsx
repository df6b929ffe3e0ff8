import { useState } from 'react';
import styled from 'styled-components';
import type { MachineCard, MachineFault, MachineState, RunAct } from '../api/types';
import { useUnits } from '../frame/settings';
import { show } from '../model/units';
import { Quiet } from '../parts/basics';
import { Modal } from '../parts/Modal';
import { Big } from './parts';
import type { AtMachine } from './useMachine';

const Bar = styled.section<{ $alarm: boolean }>`
  flex: none;
  border-bottom: 2px solid ${(p) => (p.$alarm ? p.theme.red : p.theme.edge)};
  background: ${(p) => (p.$alarm ? p.theme.redWash : p.theme.blueWash)};
  padding: 6px 12px;
  font-size: 16px;
  .in {
    max-width: 820px;
    margin: 0 auto;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 14px;
  }
  .says {
    flex: 1 1 100%;
    font-weight: 600;
  }
  .mode {
    font-weight: 600;
  }
  .at {
    font-variant-numeric: tabular-nums;
  }
  button {
    min-height: 48px;
    font-size: 16px;
    padding: 4px 14px;
  }
  .acts {
    margin-left: auto;
    display: flex;
    gap: 8px;
  }
`;

const Panel = styled.div`
  display: grid;
  gap: 10px;
  font-size: 17px;
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    justify-content: flex-start;
    margin: 0;
  }
  .row > * {
    flex: 1 1 140px;
  }
  h3 {
    font-size: 18px;
    margin: 6px 0 0;
  }
  li {
    border-top: 1px solid ${(p) => p.theme.rule};
    padding: 3px 0;
  }
  input {
    width: 130px;
    min-height: 48px;
    font-size: 19px;
    text-align: right;
    padding: 4px 10px;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 4px;
    background: ${(p) => p.theme.card};
  }
`;

export const MODES = {
  off: 'Without power',
  lost: 'Axes not referenced',
  idle: 'Ready',
  running: 'Runs',
  held: 'Held',
  stopped: 'Stands at a stop',
  done: 'At the end',
  alarm: 'Alarm',
} as const;

/** "X 12.300 Y −4.000 Z 50.000". */
export function Place({ state }: { state: MachineState }) {
  const { units } = useUnits();
  return (
    <span className="at">
      {['X', 'Y', 'Z'].map((a, k) => `${a} ${show(state.work_mm[k] ?? 0, 'mm', units, 2).text}`).join('  ')}
    </span>
  );
}

interface Props {
  at: AtMachine;
  card: MachineCard;
  onAct: (act: RunAct) => void;
}

/** The machine over the card: what it does, and what a person would reach for. */
export function MachineBar({ at, card, onAct }: Props) {
  const [panel, setPanel] = useState(false);
  const { says } = at;
  if (!says?.there) return null;
  const s = says.state;
  if (!says.heard || !s)
    return (
      <Bar $alarm aria-label="Machine" data-machine="away">
        <div className="in">
          <span className="says" role="status">
            {says.why || 'The machine is not heard'}. If it runs it goes on by itself: stay beside it. The card follows
            again when the line is back.
          </span>
        </div>
      </Bar>
    );
  if (!says.mine)
    return (
      <Bar $alarm={false} aria-label="Machine" data-machine="free">
        <div className="in">
          <span style={{ flex: 1 }}>
            {s.who ? `The simulated machine is taken by ${s.who}.` : 'A simulated machine is on the line.'}
          </span>
          {s.who ? null : <Big onPress={() => void at.ask({ do: 'take' })}>Work on it</Big>}
        </div>
      </Bar>
    );
  const broken = s.mode === 'alarm' ? /look at T(\d+)/.exec(s.says)?.[1] : undefined;
  const change = async (tool: number) => {
    await at.ask({ do: 'reset' });
    const r = await at.ask({ do: 'new_cutter', tool });
    if (r?.gave != null) onAct({ kind: 'cutter', tool, length_mm: r.gave, why: `broken at line ${s.line}` });
  };
  const stands = s.mode === 'alarm' || s.mode === 'off' || s.mode === 'lost';
  return (
    <Bar $alarm={stands} aria-label="Machine" data-machine={s.mode} data-line={s.line} data-sum={s.sum}>
      <div className="in">
        {s.says && s.mode !== 'running' && s.mode !== 'idle' ? (
          <span className="says" role={stands ? 'alert' : 'status'}>
            {s.says}
          </span>
        ) : null}
        <span className="mode">
          <Quiet>Simulated machine</Quiet> {MODES[s.mode]}
        </span>
        {s.program && s.line > 0 ? (
          <span className="at">
            line {s.line} of {s.lines}
          </span>
        ) : null}
        <Place state={s} />
        {s.tool > 0 ? <span>T{s.tool}</span> : null}
        {s.mode === 'running' && s.takes_min > 0 ? (
          <span>{Math.max(0, s.takes_min - s.ran_min).toFixed(1)} min to go</span>
        ) : null}
        <span className="acts">
          {broken ? (
            <Big $main onPress={() => void change(Number(broken))}>
              Put a new T{broken} in, measure it
            </Big>
          ) : null}
          {s.mode === 'off' ? (
            <Big $main onPress={() => void at.ask({ do: 'power', on: true })}>
              Switch it on
            </Big>
          ) : null}
          {s.mode === 'lost' ? (
            <Big $main onPress={() => void at.ask({ do: 'home' })}>
              To the reference point
            </Big>
          ) : null}
          {s.mode === 'running' ? (
            <Big $stop onPress={() => void at.ask({ do: 'hold' })}>
              Hold
            </Big>
          ) : null}
          <Big onPress={() => setPanel(true)}>Panel</Big>
        </span>
      </div>
      <Modal glove title="Panel of the simulated machine" open={panel} onClose={() => setPanel(false)}>
        <Controls at={at} state={s} card={card} />
      </Modal>
    </Bar>
  );
}

const OVERRIDES = [25, 50, 100, 150];
const FACTORS = [1, 10, 60, 600];

function Controls({ at, state: s, card }: { at: AtMachine; state: MachineState; card: MachineCard }) {
  const { units } = useUnits();
  const [line, setLine] = useState('');
  const n = /^\d+$/.test(line.trim()) ? Number(line) : 0;
  const put = (fault: MachineFault) => void at.ask({ do: 'fault', fault });
  const length = (v: number) => show(v, 'mm', units, 3).text;
  return (
    <Panel>
      <div className="row" role="group" aria-label="Cycle">
        <Big onPress={() => void at.ask({ do: 'start' })}>Cycle start</Big>
        <Big $stop onPress={() => void at.ask({ do: 'hold' })}>
          Feed hold
        </Big>
        <Big onPress={() => void at.ask({ do: 'reset' })}>Reset</Big>
        <Big onPress={() => void at.ask({ do: 'home' })}>To the reference point</Big>
      </div>
      <div className="row" role="group" aria-label="Feed override">
        {OVERRIDES.map((p) => (
          <Big
            key={p}
            $chosen={s.override_percent === p}
            aria-pressed={s.override_percent === p}
            onPress={() => void at.ask({ do: 'override', percent: p })}
          >
            Feed {p} %
          </Big>
        ))}
      </div>
      <div className="row" role="group" aria-label="Time">
        {FACTORS.map((f) => (
          <Big
            key={f}
            $chosen={s.factor === f}
            aria-pressed={s.factor === f}
            onPress={() => void at.ask({ do: 'factor', times: f })}
          >
            {f === 1 ? 'Real time' : `${f} times`}
          </Big>
        ))}
      </div>
      <div className="row" role="group" aria-label="Switches">
        <Big aria-pressed={s.single} $chosen={s.single} onPress={() => void at.ask({ do: 'single', on: !s.single })}>
          Step by step
        </Big>
        <Big
          aria-pressed={s.optional_stop}
          $chosen={s.optional_stop}
          onPress={() => void at.ask({ do: 'optional_stop', on: !s.optional_stop })}
        >
          Stops at M1
        </Big>
        <Big
          aria-pressed={s.door_open}
          $chosen={s.door_open}
          onPress={() => void at.ask({ do: 'door', open: !s.door_open })}
        >
          {s.door_open ? 'Shut the door' : 'Open the door'}
        </Big>
        <Big
          aria-pressed={!s.coolant_enough}
          $chosen={!s.coolant_enough}
          onPress={() => void at.ask({ do: 'coolant', enough: !s.coolant_enough })}
        >
          {s.coolant_enough ? 'Empty the tank' : 'Fill the tank'}
        </Big>
      </div>
      <h3>Its tables</h3>
      <p>
        G54 X {length(s.zero_mm[0])} Y {length(s.zero_mm[1])} Z {length(s.zero_mm[2])}
      </p>
      <p>
        {card.tools
          .map((t) => {
            const l = s.lengths_mm[t.number];
            return `T${t.number} ${l === undefined ? 'no length' : length(l)}`;
          })
          .join(' · ')}
      </p>
      <h3>Try what then</h3>
      <div className="row">
        <label style={{ flex: '2 1 220px' }}>
          At line{' '}
          <input
            inputMode="numeric"
            value={line}
            onChange={(e) => setLine(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
          />
        </label>
        <Big isDisabled={n === 0} onPress={() => put({ kind: 'break', line: n })}>
          the cutter breaks
        </Big>
        <Big isDisabled={n === 0} onPress={() => put({ kind: 'power', line: n })}>
          the power goes
        </Big>
      </div>
      <div className="row">
        <Big onPress={() => put({ kind: 'line', seconds: 10 })}>Cut the line for 10 s</Big>
        <Big onPress={() => put({ kind: 'probe' })}>The tip sticks</Big>
        <Big onPress={() => put({ kind: 'askew', mm_in_100: 0.4 })}>All stands 0.4 in 100 askew</Big>
        <Big onPress={() => put({ kind: 'large', by: 0.05 })}>Pieces 0.05 mm too large</Big>
      </div>
      <h3>What happened</h3>
      <ul>
        {[...s.events]
          .reverse()
          .slice(0, 12)
          .map((e) => (
            <li key={e.number}>
              {e.line > 0 ? `Line ${e.line}: ` : ''}
              {e.what}
            </li>
          ))}
      </ul>
      <Big onPress={() => void at.ask({ do: 'release' })}>Let the machine go</Big>
    </Panel>
  );
}
