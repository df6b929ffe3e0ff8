import { useState } from 'react';
import { Radio, RadioGroup } from 'react-aria-components';
import styled from 'styled-components';
import type { Question } from '../../api/types';
import { Button, Line, Link, Quiet } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';
import { Field } from '../../parts/Field';
import { Num } from '../../parts/Number';

const Row = styled.article`
  h3 {
    margin: 0;
    font-size: 15px;
    font-weight: 600;
  }
  .top {
    display: flex;
    gap: 8px;
    align-items: baseline;
    justify-content: space-between;
  }
  .choices {
    margin-top: 6px;
    display: grid;
    gap: 2px;
  }
  .choice {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    align-items: start;
  }
`;

const Option = styled(Radio)`
  display: grid;
  grid-template-columns: 18px 1fr;
  gap: 0 8px;
  padding: 4px 6px;
  cursor: pointer;
  border-left: 3px solid transparent;
  &::before {
    content: '○';
    color: ${(p) => p.theme.blue};
  }
  &[data-selected] {
    border-left-color: ${(p) => p.theme.blue};
    background: ${(p) => p.theme.blueWash};
  }
  &[data-selected]::before {
    content: '●';
  }
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
  &[data-focus-visible] {
    outline: 2px solid ${(p) => p.theme.blue};
  }
  .words {
    grid-column: 2;
  }
`;

interface Props {
  question: Question;
  /** Null opens it again. */
  onAnswer: (key: string | null) => void;
  /** Light what it is about. */
  onShow: () => void;
}

/** A doubt: the proposal in one line, all answers with their reasons when it is opened. */
export function QuestionRow({ question: q, onAnswer, onShow }: Props) {
  const [open, setOpen] = useState(false);
  const proposal = q.choices[0];
  const stands = q.answer ?? proposal?.key ?? '';
  const said = q.choices.find((c) => c.key === q.answer);
  const free = q.number && q.answer !== null && !said ? q.answer.slice(q.number[0].length) : null;
  return (
    <Row data-question={q.id} data-answered={q.answer !== null}>
      <div className="top">
        <h3>{q.text}</h3>
        {q.answer !== null ? (
          <Stamp kind="decided" words="answered" />
        ) : (
          <Stamp kind={q.grave ? 'answer' : 'proposed'} words={q.grave ? 'needs an answer' : 'proposed'} />
        )}
      </div>
      <Line>
        <span>
          {q.answer === null ? (
            proposal?.words
          ) : (
            <b>{said?.words ?? (free !== null && q.number ? `${free} ${q.number[1]}` : q.answer)}</b>
          )}
        </span>
        {q.answer === null && proposal ? (
          <Button $small $main onPress={() => onAnswer(proposal.key)}>
            Yes
          </Button>
        ) : null}
        <Link onPress={() => setOpen(!open)} aria-expanded={open}>
          {open ? 'Close' : q.answer === null ? 'Why, and other answers' : 'Change'}
        </Link>
        {q.faces.length > 0 ? <Link onPress={onShow}>Show</Link> : null}
        {q.answer !== null ? <Link onPress={() => onAnswer(null)}>Leave it open</Link> : null}
      </Line>
      {open ? (
        <>
          <p>
            <Quiet>
              {q.why}
              {q.blocks ? ` It decides ${q.blocks}.` : ''}
            </Quiet>
          </p>
          <RadioGroup className="choices" aria-label={q.text} value={stands} onChange={onAnswer}>
            {q.choices.map((c) => (
              <div key={c.key} className="choice">
                <Option value={c.key}>
                  <span className="words">{c.words}</span>
                  {c.reasons.length > 0 ? <Quiet className="words">{c.reasons.join('; ')}</Quiet> : null}
                </Option>
                {c.terms.length > 0 ? (
                  <Num value={0} unit="" words="numbers" why={{ title: c.words, terms: c.terms, source: c.source }} />
                ) : null}
              </div>
            ))}
          </RadioGroup>
          {q.number ? (
            <Line style={{ marginTop: 6 }}>
              <span>Another:</span>
              <Field
                label={`Another answer, ${q.number[1]}`}
                value={Number(free ?? proposal?.key.replace(q.number[0], '') ?? 0) || 0}
                unit="mm"
                onSet={(v) => onAnswer(v === null ? null : `${q.number?.[0] ?? ''}${Number(v.toFixed(4))}`)}
              />
            </Line>
          ) : null}
        </>
      ) : null}
    </Row>
  );
}
