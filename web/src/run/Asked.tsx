import { useId } from 'react';
import styled from 'styled-components';
import type { RunAsk, RunJudged } from '../api/types';
import { useUnits } from '../frame/settings';
import { read, say, show, type Typed } from '../model/units';

const Box = styled.div`
  margin: 14px 0;
  label {
    display: block;
    font-weight: 600;
    margin-bottom: 4px;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 10px;
    flex-wrap: wrap;
  }
  input {
    width: 190px;
    min-height: 56px;
    font-size: 26px;
    text-align: right;
    padding: 4px 12px;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 4px;
    background: ${(p) => p.theme.card};
  }
  input[data-verdict='doubt'] {
    border-color: ${(p) => p.theme.amber};
  }
  input[data-verdict='stop'],
  input[aria-invalid='true'] {
    border-color: ${(p) => p.theme.red};
  }
  .quiet {
    color: ${(p) => p.theme.quiet};
    font-size: 16px;
  }
`;

interface Props {
  ask: RunAsk;
  text: string;
  onText: (text: string) => void;
  /** What counts where nothing is typed. */
  counts: number | undefined;
  judged: RunJudged | undefined;
}

/** What was typed for an ask, in the core's unit. */
export const typedOf = (ask: RunAsk, text: string, units: 'mm' | 'inch'): Typed => read(text, ask.unit, units);

/** A number that is typed at the machine: large, in either unit, with what is planned beside it. */
export function Asked({ ask, text, onText, counts, judged }: Props) {
  const { units } = useUnits();
  const id = useId();
  const typed = typedOf(ask, text, units);
  const unit = show(0, ask.unit, units).unit || ask.unit;
  const wrong = typed.kind === 'wrong';
  const plain = text.trim().replace(',', '.');
  const shown = typed.kind === 'number' ? show(typed.value, ask.unit, units, 3) : null;
  return (
    <Box data-ask={ask.id}>
      <label htmlFor={id}>{ask.label}</label>
      <div className="line">
        <input
          id={id}
          inputMode="decimal"
          autoComplete="off"
          value={text}
          aria-invalid={wrong}
          data-verdict={judged?.verdict}
          aria-describedby={`${id}-note`}
          placeholder={counts === undefined ? '' : show(counts, ask.unit, units, 3).text}
          onChange={(e) => onText(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
        />
        <span>{unit}</span>
        <span className="quiet" id={`${id}-note`}>
          {wrong
            ? typed.why
            : typed.kind === 'number' && shown && shown.text !== plain
              ? `understood: ${say(typed.value, ask.unit, units, 3)}`
              : ask.planned !== null
                ? `planned ${say(ask.planned, ask.unit, units, 3)}`
                : ''}
        </span>
      </div>
    </Box>
  );
}
