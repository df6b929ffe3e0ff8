import { useState } from 'react';
import styled from 'styled-components';
import type { Decision, JobState } from '../api/types';
import { Button, Line, Link, Rows } from '../parts/basics';
import { Modal } from '../parts/Modal';

const Strip = styled.div`
  flex: none;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 4px 16px;
  background: ${(p) => p.theme.blueWash};
  border-bottom: 1px solid ${(p) => p.theme.rule};
  .words {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`;

interface Props {
  state: JobState;
  decide: (d: Decision) => void;
}

/** The shop's book has changed since the job was planned: what differs, and a press to plan with it. Until then the job keeps its own. */
export function NewerBook({ state, decide }: Props) {
  const [left, setLeft] = useState<number | null>(null);
  const [all, setAll] = useState(false);
  const newer = state.newer_book;
  if (!newer || newer.revision === left) return null;
  const [first = '', ...rest] = newer.changes;
  return (
    <Strip role="region" aria-label="The shop’s book has changed" data-newer-book={newer.revision}>
      <span className="words">
        The shop’s book has changed: {first}
        {rest.length > 0 ? '; ' : ''}
      </span>
      {rest.length > 0 ? <Link onPress={() => setAll(true)}>and {rest.length} more</Link> : null}
      <Line style={{ marginLeft: 'auto', flexWrap: 'nowrap' }}>
        <Button $small $main onPress={() => decide({ about: 'shop', revision: newer.revision })}>
          Plan with the new book
        </Button>
        <Button $small onPress={() => setLeft(newer.revision)}>
          Not now
        </Button>
      </Line>
      <Modal title="What changed in the shop’s book" open={all} onClose={() => setAll(false)}>
        <Rows>
          {newer.changes.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </Rows>
      </Modal>
    </Strip>
  );
}
