import { useQuery } from '@tanstack/react-query';
import { NavLink } from 'react-router';
import styled from 'styled-components';
import { runsQuery } from '../api';
import type { JobState, PartSheet, Sheet } from '../api/types';
import { Stamp, type StampKind } from '../parts/Stamp';
import { saySize, say } from '../model/units';
import { TICKETS, type Ticket } from './job';
import { useUnits } from './settings';

const Strip = styled.nav`
  flex: none;
  display: grid;
  grid-template-columns: minmax(0, 1.28fr) minmax(0, 1.16fr) repeat(5, minmax(0, 1fr)) minmax(0, 0.78fr) minmax(
      0,
      0.78fr
    );
  padding: 8px 16px 0;
  border-bottom: 1px solid ${(p) => p.theme.edge};
  a {
    position: relative;
    display: block;
    min-width: 0;
    height: 60px;
    margin-right: -1px;
    padding: 7px 6px 0 20px;
    border: 1px solid ${(p) => p.theme.rule};
    border-bottom: 0;
    background: ${(p) => p.theme.paper};
    color: inherit;
    text-decoration: none;
    clip-path: polygon(12px 0, 100% 0, 100% 100%, 0 100%, 0 12px);
  }
  a::before {
    content: '';
    position: absolute;
    left: 7px;
    top: 13px;
    width: 8px;
    height: 8px;
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 50%;
  }
  a.active {
    background: ${(p) => p.theme.card};
    border-color: ${(p) => p.theme.ink};
    border-top: 4px solid ${(p) => p.theme.blue};
    padding-top: 4px;
  }
  a:focus-visible {
    outline-offset: -4px;
  }
  .row {
    display: flex;
    justify-content: space-between;
    gap: 6px;
    align-items: center;
  }
  .name {
    font-weight: 600;
  }
  .number {
    color: ${(p) => p.theme.quiet};
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
`;

interface Stamped {
  number: string;
  kind: StampKind;
  words: string;
}

const names: Record<Ticket, string> = {
  part: 'Part',
  stock: 'Stock',
  hold: 'Hold',
  order: 'Order',
  cutters: 'Cutters',
  proof: 'Proof',
  program: 'Program',
  run: 'Run',
  log: 'Log',
};

const count = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`;

interface Props {
  state: JobState;
  sheet: Sheet | undefined;
  /** The part is known before the sheet is. */
  part: PartSheet | undefined;
  id: number;
}

/** The tickets of a job in the order of the work, each with its stamp, its number and its findings. */
export function RouteStrip({ state, sheet, part, id }: Props) {
  const { units } = useUnits();
  const runs = useQuery(runsQuery(id)).data ?? [];
  const s = (t: Ticket): Stamped => {
    if (t === 'part' && part) {
      const grave = part.questions.filter((q) => q.grave && q.answer === null).length + part.doubts.length;
      const open = part.questions.filter((q) => q.answer === null).length;
      return {
        number: saySize(part.size, units, 0),
        ...(grave > 0
          ? { kind: 'answer' as const, words: `needs ${count(grave, 'answer')}` }
          : open > 0
            ? { kind: 'proposed' as const, words: `${count(open, 'question')}` }
            : { kind: 'decided' as const, words: 'read' }),
      };
    }
    if (t === 'log') {
      const over = runs.filter((r) => r.ended !== null);
      const scrap = over.filter((r) => !r.good).length;
      return {
        number: over.length > 0 ? `${over.length - scrap} good, ${scrap} scrap` : 'nothing yet',
        kind: over.length > 0 ? 'decided' : 'open',
        words: over.length > 0 ? count(over.length, 'run') : 'open',
      };
    }
    const running = t === 'run' ? runs.find((r) => r.ended === null) : undefined;
    if (running) {
      return { number: `step ${running.done[0] + 1} of ${running.done[1]}`, kind: 'posted', words: 'running' };
    }
    if (!sheet) return { number: '–', kind: 'open', words: state.card.work.kind === 'failed' ? 'refused' : 'working' };
    const ops = sheet.sides.flatMap((x) => x.operations);
    const settled = (yes: boolean): Pick<Stamped, 'kind' | 'words'> =>
      yes ? { kind: 'decided', words: 'decided' } : { kind: 'proposed', words: 'proposed' };
    // What lies behind an edit is stale until it is worked out again; the part itself never is.
    const stale = !state.fresh && t !== 'part' ? ({ kind: 'stale', words: 'stale' } as const) : null;
    switch (t) {
      case 'part':
        return { number: saySize(sheet.part.size, units, 0), kind: 'decided', words: 'read' };
      case 'stock':
        return {
          number: saySize(sheet.stock.size, units, 0),
          ...(stale ?? settled(sheet.stock.size_decided || sheet.stock.material_decided || sheet.stock.laid_decided)),
        };
      case 'hold':
        return {
          number: `${count(sheet.sides.length, 'side')}, ${sheet.hold.up} first`,
          ...(stale ?? settled(sheet.hold.decided || sheet.hold.scheme_decided)),
        };
      case 'order':
        return {
          number: `${count(ops.length, 'step')}, ${say(sheet.proof.minutes, '', units, 0)} min`,
          ...(stale ?? settled(ops.some((o) => o.before))),
        };
      case 'cutters': {
        const n = new Set(ops.map((o) => o.op.tool)).size;
        return { number: count(n, 'cutter'), ...(stale ?? settled(ops.some((o) => o.settled))) };
      }
      case 'proof': {
        const stops = sheet.proof.findings.filter((f) => f.severity === 'stop').length;
        const warns = sheet.proof.findings.filter((f) => f.severity === 'warn').length;
        const number = `${count(stops, 'stop')}, ${count(warns, 'warning')}`;
        if (stale) return { number, ...stale };
        if (stops > 0) return { number, kind: 'stop', words: 'stop' };
        return { number, kind: 'proved', words: sheet.proof.left > 0 ? `proved, ${sheet.proof.left} left` : 'proved' };
      }
      case 'program': {
        const lines = sheet.sides.reduce((a, b) => a + b.program.split('\n').length - 1, 0);
        const out = state.issued.some((i) => i.revision === state.card.revision);
        return {
          number: `${count(sheet.sides.length, 'file')}, ${say(lines, '', units, 0)} lines`,
          ...(stale ??
            (!sheet.proof.passed
              ? { kind: 'stop', words: 'held' }
              : out
                ? { kind: 'posted', words: 'taken' }
                : { kind: 'proposed', words: 'ready' })),
        };
      }
      case 'run':
        return {
          number: count(sheet.sides.length + sheet.made.length, 'setup'),
          ...(stale ?? (sheet.proof.passed ? { kind: 'proposed', words: 'ready' } : { kind: 'stop', words: 'held' })),
        };
    }
  };
  return (
    <Strip aria-label="Route of the job">
      {TICKETS.map((t, k) => {
        const x = s(t);
        return (
          <NavLink key={t} to={`/jobs/${id}/${t}`} data-ticket={t} aria-keyshortcuts={String(k + 1)}>
            <div className="row">
              <span className="name">{names[t]}</span>
              <Stamp kind={x.kind} words={x.words} />
            </div>
            <div className="number">{x.number}</div>
          </NavLink>
        );
      })}
    </Strip>
  );
}
