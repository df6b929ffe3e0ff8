import styled from 'styled-components';
import type { Finding, Remedy, JobState } from '../api/types';
import { Button, Kbd, Rows } from '../parts/basics';
import { FindingRow, SeverityChip } from '../parts/FindingRow';
import { Modal } from '../parts/Modal';

const Bar = styled.footer`
  flex: none;
  height: 34px;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 16px;
  border-top: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.paper};
  .what {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    flex: 1;
    min-width: 0;
  }
  .bar {
    width: 120px;
    height: 8px;
    border: 1px solid ${(p) => p.theme.edge};
  }
  .bar i {
    display: block;
    height: 100%;
    background: ${(p) => p.theme.brass};
  }
`;

interface Props {
  state: JobState;
  findings: readonly Finding[];
  open: boolean;
  setOpen: (o: boolean) => void;
  onShow: (f: Finding) => void;
  onMend: (r: Remedy) => void;
  onKeys: () => void;
  onDecisions: () => void;
  onStop: () => void;
  onAgain: () => void;
}

/** Stages as the worker calls them, and how far the whole is at the start of each. */
const stages: [string, number, number][] = [
  ['model', 0, 0.03],
  ['stock and sides', 0.03, 0.05],
  ['paths of side 1', 0.05, 0.28],
  ['paths of side 2', 0.28, 0.36],
  ['paths of side 3', 0.36, 0.38],
  ['paths of side 4', 0.38, 0.4],
  ['paths of side 5', 0.4, 0.41],
  ['paths of further sides', 0.41, 0.42],
  ['proof', 0.42, 0.95],
  ['card', 0.95, 1],
];

/** The foot of the page: what to look at, and what is being worked on. */
export function Checks({
  state,
  findings,
  open,
  setOpen,
  onShow,
  onMend,
  onKeys,
  onDecisions,
  onStop,
  onAgain,
}: Props) {
  const w = state.card.work;
  const count = (s: Finding['severity']) => findings.filter((f) => f.severity === s).length;
  const stage = w.kind === 'running' ? stages.find((s) => s[0] === w.stage) : undefined;
  const share = w.kind === 'running' && stage ? stage[1] + (stage[2] - stage[1]) * w.share : 0;
  return (
    <>
      <Bar>
        <Button $small onPress={() => setOpen(true)} aria-keyshortcuts="c">
          Checks <Kbd>C</Kbd>
        </Button>
        <SeverityChip severity="stop" count={count('stop')} />
        <SeverityChip severity="warn" count={count('warn')} />
        <SeverityChip severity="note" count={count('note')} />
        {w.kind === 'running' || w.kind === 'waiting' ? (
          <>
            <span className="what" data-working>
              {w.kind === 'waiting' ? 'Waiting for the planner' : `Working out: ${w.stage}`}
            </span>
            <div
              className="bar"
              role="progressbar"
              aria-label="Planning"
              aria-valuenow={Math.round(share * 100)}
              aria-valuemin={0}
              aria-valuemax={100}
            >
              <i style={{ width: `${Math.round(share * 100)}%` }} />
            </div>
            <Button $small onPress={onStop}>
              Stop
            </Button>
          </>
        ) : w.kind === 'stopped' || w.kind === 'failed' ? (
          <>
            <span className="what" role="alert">
              {w.kind === 'stopped' ? 'Stopped. What you see is of an earlier decision.' : w.why}
            </span>
            <Button $small onPress={onAgain}>
              Work it out again
            </Button>
          </>
        ) : (
          <span className="what">{findings[0]?.what ?? 'Nothing to look at'}</span>
        )}
        <Button $small onPress={onDecisions} aria-keyshortcuts="d">
          {state.decisions.length === 1 ? '1 decision' : `${state.decisions.length} decisions`} <Kbd>D</Kbd>
        </Button>
        <Button $small onPress={onKeys}>
          All keys <Kbd>?</Kbd>
        </Button>
      </Bar>
      <Modal title="Checks" open={open} onClose={() => setOpen(false)}>
        {findings.length === 0 ? (
          <p>Nothing to look at: every check passed and nothing is left uncut.</p>
        ) : (
          <Rows>
            {findings.map((f) => (
              <li key={f.id}>
                <FindingRow finding={f} onShow={f.places.length > 0 ? () => onShow(f) : undefined} onMend={onMend} />
              </li>
            ))}
          </Rows>
        )}
      </Modal>
    </>
  );
}
