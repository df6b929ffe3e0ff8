import { useId, useState } from 'react';
import styled from 'styled-components';
import { useUnits } from '../frame/settings';
import { read, say, show } from '../model/units';

const Box = styled.span<{ $tight?: boolean }>`
  display: inline-flex;
  align-items: baseline;
  gap: 6px;
  input {
    width: ${(p) => (p.$tight ? '64px' : '92px')};
    text-align: right;
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 2px 6px;
  }
  input[aria-invalid='true'] {
    border: 2px solid ${(p) => p.theme.red};
  }
  .unit {
    color: ${(p) => p.theme.quiet};
    min-width: ${(p) => (p.$tight ? '20px' : '44px')};
  }
`;

const Note = styled.span<{ $wrong: boolean }>`
  /* Over what follows: the page must not jump under a hand that is about to press something. */
  position: absolute;
  z-index: 3;
  left: 0;
  top: 100%;
  width: max-content;
  max-width: 260px;
  padding: 1px 6px;
  background: ${(p) => p.theme.card};
  border: 1px solid currentColor;
  font-size: 13.5px;
  color: ${(p) => (p.$wrong ? p.theme.red : p.theme.blue)};
`;

interface Props {
  /** What it is, for a reader that does not see the row. */
  label: string;
  /** In the core's unit. */
  value: number;
  unit: string;
  digits?: number;
  /** Null takes the number back to the proposal. */
  onSet: (value: number | null) => void;
  disabled?: boolean;
  /** Several stand in a line. */
  tight?: boolean;
}

/** A number that can be overruled. Takes arithmetic and either unit, and shows what it understood; Enter settles it, Escape gives it up. */
export function Field({ label, value, unit, digits, onSet, disabled, tight }: Props) {
  const { units } = useUnits();
  const [text, setText] = useState<string | null>(null);
  const note = useId();
  const shown = show(value, unit, units, digits);
  const typed = text === null ? null : read(text, unit, units);
  const wrong = typed?.kind === 'wrong';
  const changed = typed?.kind === 'number' && text !== shown.text;
  const settle = () => {
    if (typed === null || wrong) return;
    setText(null);
    if (typed.kind === 'empty') onSet(null);
    else if (show(typed.value, unit, units, digits).text !== shown.text) onSet(typed.value);
  };
  return (
    <span style={{ position: 'relative' }}>
      <Box $tight={tight}>
        <input
          aria-label={label}
          aria-invalid={wrong}
          aria-describedby={text === null ? undefined : note}
          disabled={disabled}
          value={text ?? shown.text}
          inputMode="text"
          onFocus={(e) => e.currentTarget.select()}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => (wrong ? setText(null) : settle())}
          onKeyDown={(e) => {
            if (e.key === 'Enter') {
              // It settles the number; a form around it has a button of its own.
              e.preventDefault();
              settle();
              const input = e.currentTarget;
              setTimeout(() => input.select());
            }
            if (e.key === 'Escape') setText(null);
            e.stopPropagation();
          }}
        />
        <span className="unit">{shown.unit}</span>
      </Box>
      {text !== null && (wrong || changed || typed?.kind === 'empty') ? (
        <Note id={note} $wrong={wrong} role="status">
          {wrong
            ? typed.why
            : typed?.kind === 'number'
              ? `Understood: ${say(typed.value, unit, units, digits)}`
              : 'Empty: back to the proposal'}
        </Note>
      ) : null}
    </span>
  );
}
