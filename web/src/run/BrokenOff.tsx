import { useEffect, useState } from 'react';
import styled from 'styled-components';
import { api } from '../api';
import type { GoOn, Rest } from '../api/types';
import { refuse, useInWords, useUnits } from '../frame/settings';
import { Big, Told } from './parts';
import type { AtMachine } from './useMachine';

const Box = styled.details`
  margin: 14px 0;
  summary {
    font-weight: 600;
    min-height: 48px;
    padding: 10px 0;
  }
  input {
    width: 140px;
    min-height: 52px;
    font-size: 22px;
    text-align: right;
    padding: 4px 12px;
    margin-left: 10px;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 4px;
    background: ${(p) => p.theme.card};
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin: 10px 0;
  }
`;

const hows: [GoOn, string][] = [
  ['step', 'From the beginning of its step'],
  ['last_lift', 'From where it last travelled above'],
];

interface Props {
  job: number;
  run: number;
  file: string;
  machine: AtMachine;
}

/** The program stood in the middle: power, a broken cutter, a lost line. Where it goes on, with the text that does it. */
export function BrokenOff({ job, run, file, machine }: Props) {
  const { units } = useUnits();
  const [line, setLine] = useState('');
  const [how, setHow] = useState<GoOn>('step');
  const [told, setTold] = useState<Rest | null>(null);
  const rest = useInWords(units, told);
  // The machine says where it stood.
  const broke = /line (\d+)/i.exec(
    machine.mine && machine.says?.state?.program === file
      ? (machine.says?.state?.events.findLast((e) => /fell away|power went/.test(e.what))?.what ?? '')
      : '',
  )?.[1];
  useEffect(() => {
    if (broke) setLine(broke);
  }, [broke]);
  const n = Number(line);
  const good = /^\d+$/.test(line.trim()) && n > 0;
  const ask = async () => {
    try {
      setTold(await api.post<Rest>(`/api/jobs/${job}/runs/${run}/rest`, { file, line: n, how }));
    } catch (e) {
      refuse(e);
    }
  };
  const take = (r: Rest) => {
    const url = URL.createObjectURL(new Blob([r.restart.text], { type: 'text/plain' }));
    const a = document.createElement('a');
    a.href = url;
    a.download = r.file;
    a.click();
    setTimeout(() => URL.revokeObjectURL(url), 10_000);
  };
  return (
    <Box data-broken-off open={broke ? true : undefined}>
      <summary>It broke off: power, a cutter, a lost line</summary>
      <label>
        Line at which it stood
        <input
          inputMode="numeric"
          autoComplete="off"
          value={line}
          onChange={(e) => setLine(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
      </label>
      <div className="ways" role="group" aria-label="Where it goes on">
        {hows.map(([id, words]) => (
          <Big key={id} $chosen={id === how} aria-pressed={id === how} onPress={() => setHow(id)}>
            {words}
          </Big>
        ))}
      </div>
      <p className="quiet">
        After a broken cutter take the beginning of its step: what it left last is not known. The rest is written as a
        program of its own, with cutter, speed and coolant as they were there.
      </p>
      <Big isDisabled={!good} onPress={() => void ask()}>
        Write the rest
      </Big>
      {rest ? (
        <>
          <Told $kind="doubt">
            Goes on from line {rest.restart.from_line} with T{rest.restart.tool}.
          </Told>
          <ol>
            {rest.says.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ol>
          <div className="ways">
            <Big $main={!machine.mine} onPress={() => take(rest)}>
              Take {rest.file}
            </Big>
            {machine.mine ? (
              <Big $main onPress={() => void machine.ask({ do: 'load_rest', file: rest.file })}>
                Load it into the machine
              </Big>
            ) : null}
          </div>
        </>
      ) : null}
    </Box>
  );
}
