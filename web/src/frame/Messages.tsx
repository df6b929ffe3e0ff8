import styled from 'styled-components';
import { Button } from '../parts/basics';
import { message, useStore } from './settings';

const Bar = styled.div<{ $refused: boolean }>`
  position: fixed;
  left: 50%;
  bottom: 44px;
  transform: translateX(-50%);
  z-index: 60;
  /* A file may be dropped through it. */
  pointer-events: none;
  button {
    pointer-events: auto;
  }
  max-width: min(760px, 92vw);
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 8px 14px;
  border: 1px solid ${(p) => (p.$refused ? p.theme.red : p.theme.ink)};
  border-left-width: 6px;
  background: ${(p) => (p.$refused ? p.theme.redWash : p.theme.card)};
  color: ${(p) => (p.$refused ? p.theme.red : p.theme.ink)};
`;

/** What was done, and what was refused and why. */
export function Messages() {
  const m = useStore(message);
  return (
    <div aria-live="polite" role="status">
      {m ? (
        <Bar $refused={m.kind === 'refused'} data-message={m.kind}>
          <span>{m.text}</span>
          <Button $small onPress={() => message.set(null)}>
            Close
          </Button>
        </Bar>
      ) : null}
    </div>
  );
}
