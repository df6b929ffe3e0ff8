import type { ReactNode } from 'react';
import styled from 'styled-components';
import type { Finding, Severity } from '../api/types';
import type { Remedy } from '../api/types';
import { Link } from './basics';

const words: Record<Severity, string> = { stop: 'stop', warn: 'warning', note: 'note' };
/** Shape as well as colour: octagon, triangle, dot. */
const shapes: Record<Severity, string> = { stop: '⬣', warn: '▲', note: '•' };

const Chip = styled.span<{ $s: Severity }>`
  display: inline-block;
  white-space: nowrap;
  padding: 0 7px;
  border-radius: 2px;
  font-size: 13.5px;
  font-weight: 500;
  background: ${(p) => ({ stop: p.theme.redWash, warn: p.theme.amberWash, note: p.theme.sunk })[p.$s]};
  color: ${(p) => ({ stop: p.theme.red, warn: p.theme.amber, note: p.theme.ink })[p.$s]};
`;

export function SeverityChip({ severity, count }: { severity: Severity; count?: number }) {
  const many = count !== undefined && count !== 1;
  const word = count === undefined ? words[severity] : `${count} ${words[severity]}${many ? 's' : ''}`;
  return (
    <Chip $s={severity}>
      <span aria-hidden>{shapes[severity]} </span>
      {word}
    </Chip>
  );
}

const Row = styled.article`
  .top {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .where {
    margin-left: auto;
    white-space: nowrap;
    color: ${(p) => p.theme.quiet};
  }
  h3 {
    margin: 0;
    font-size: 15px;
    font-weight: 600;
  }
`;

interface Props {
  finding: Finding;
  /** Show its place on the stage. */
  onShow?: () => void;
  /** Does at once what can be done about it. */
  onMend?: (r: Remedy) => void;
  children?: ReactNode;
}

export function FindingRow({ finding: f, onShow, onMend, children }: Props) {
  const r = f.remedy;
  const where = [f.setup, f.line ? `line ${f.line}` : null].filter(Boolean).join(', ');
  return (
    <Row data-finding={f.kind}>
      <div className="top">
        <SeverityChip severity={f.severity} />
        <h3>{f.what}</h3>
        {where ? <span className="where">{where}</span> : null}
      </div>
      <p>
        {f.why} {onShow ? <Link onPress={onShow}>Show the place</Link> : null}{' '}
        {r && onMend ? <Link onPress={() => onMend(r)}>{r.words}</Link> : null} {children}
      </p>
    </Row>
  );
}
