import { useState } from 'react';
import { Link as To } from 'react-router';
import styled from 'styled-components';
import type { JobCard } from '../../api/types';
import { useUnits } from '../../frame/settings';
import { say, saySize } from '../../model/units';
import { Button, Link, Quiet } from '../../parts/basics';
import { SeverityChip } from '../../parts/FindingRow';
import { Stamp, type StampKind } from '../../parts/Stamp';

const Box = styled.article`
  display: flex;
  flex-direction: column;
  background: ${(p) => p.theme.card};
  border: 1px solid ${(p) => p.theme.edge};
  border-top: 4px solid ${(p) => p.theme.blue};
  .picture {
    display: block;
    background: ${(p) => p.theme.sunk};
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
  img {
    display: block;
    width: 100%;
    height: 150px;
    object-fit: contain;
  }
  .words {
    padding: 10px 14px 12px;
    display: grid;
    gap: 6px;
    flex: 1;
    grid-template-rows: auto auto 1fr auto;
  }
  .row {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 8px;
  }
  h2 {
    font-size: 17px;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    a {
      color: inherit;
    }
  }
  .why {
    color: ${(p) => p.theme.red};
  }
  .bar {
    height: 8px;
    border: 1px solid ${(p) => p.theme.edge};
    i {
      display: block;
      height: 100%;
      background: ${(p) => p.theme.brass};
    }
  }
  input {
    width: 100%;
    border: 1px solid ${(p) => p.theme.edge};
    background: ${(p) => p.theme.card};
    padding: 2px 6px;
  }
`;

function stamp(j: JobCard): { kind: StampKind; words: string } {
  const w = j.work;
  if (w.kind === 'failed') return { kind: 'stop', words: 'refused' };
  if (w.kind === 'stopped') return { kind: 'stale', words: 'stopped' };
  if (w.kind !== 'done')
    return { kind: j.summary ? 'stale' : 'open', words: w.kind === 'waiting' ? 'waiting' : 'working' };
  if (!j.summary) return { kind: 'open', words: 'open' };
  return { kind: j.summary.passed ? 'proved' : 'stop', words: j.summary.verdict };
}

interface Props {
  job: JobCard;
  onPut: () => void;
  /** Away for good. */
  onThrow: () => void;
  onName: (title: string) => void;
}

/** A job as it lies on the bench: its picture, where it stands, what to look at next. */
export function Card({ job: j, onPut, onThrow, onName }: Props) {
  const { units } = useUnits();
  const [name, setName] = useState<string | null>(null);
  const s = stamp(j);
  const w = j.work;
  const settle = () => {
    if (name?.trim() && name !== j.title) onName(name);
    setName(null);
  };
  return (
    <Box data-job={j.id} data-work={w.kind}>
      <To to={`/jobs/${j.id}/part`} className="picture" tabIndex={-1} aria-hidden>
        <img src={`/api/jobs/${j.id}/picture`} alt="" />
      </To>
      <div className="words">
        <div className="row">
          {name === null ? (
            <h2>
              <To to={`/jobs/${j.id}/part`}>{j.title}</To>
            </h2>
          ) : (
            <input
              aria-label="Title of the job"
              value={name}
              maxLength={120}
              autoFocus
              onChange={(e) => setName(e.target.value)}
              onBlur={settle}
              onKeyDown={(e) => {
                if (e.key === 'Enter') settle();
                if (e.key === 'Escape') setName(null);
              }}
            />
          )}
          <Stamp kind={s.kind} words={s.words} />
        </div>
        <Quiet>
          {j.summary
            ? `${saySize(j.summary.size, units)} · ${say(j.summary.minutes, '', units, 0)} min · ${j.summary.material}`
            : j.file}
        </Quiet>
        <div>
          {w.kind === 'failed' ? (
            <p className="why">{w.why}</p>
          ) : w.kind === 'running' ? (
            <>
              <p>Working out: {w.stage}</p>
              <div
                className="bar"
                role="progressbar"
                aria-label={`${j.title}: ${w.stage}`}
                aria-valuenow={Math.round(w.share * 100)}
                aria-valuemin={0}
                aria-valuemax={100}
              >
                <i style={{ width: `${w.share * 100}%` }} />
              </div>
            </>
          ) : j.summary ? (
            <p>{j.summary.next ?? 'Nothing to look at'}</p>
          ) : null}
        </div>
        <div className="row">
          <span>
            {j.summary
              ? (['stop', 'warn', 'note'] as const).map((k, i) =>
                  j.summary?.counts[i] ? <SeverityChip key={k} severity={k} count={j.summary.counts[i]} /> : null,
                )
              : null}
          </span>
          <span style={{ display: 'flex', gap: 12, alignItems: 'center' }}>
            {j.archived ? (
              <Link aria-label={`Throw away: ${j.title}`} onPress={onThrow}>
                Throw away
              </Link>
            ) : null}
            <Link onPress={() => setName(j.title)}>Rename</Link>
            <Button
              $small
              onPress={onPut}
              aria-label={j.archived ? `Back to the bench: ${j.title}` : `Archive: ${j.title}`}
            >
              {j.archived ? 'Back' : 'Archive'}
            </Button>
          </span>
        </div>
      </div>
    </Box>
  );
}
