import styled from 'styled-components';
import type { CardStep, Lesson, RunStep } from '../api/types';
import { useUnits } from '../frame/settings';
import { cardStep } from '../model/round';
import { say } from '../model/units';
import { Quiet, Table } from '../parts/basics';

const Steps = styled.ol`
  padding: 0;
  margin: 0;
  list-style: none;
  > li {
    border-left: 5px solid transparent;
    padding: 6px 0 8px 10px;
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
  > li.pointed {
    border-left-color: ${(p) => p.theme.brass};
    background: ${(p) => p.theme.brassWash};
  }
  > li.truth {
    border-left-color: ${(p) => p.theme.red};
  }
  button {
    border: 0;
    background: none;
    color: inherit;
    font: inherit;
    font-weight: 600;
    text-align: left;
    padding: 0;
    cursor: pointer;
    text-decoration: underline;
    text-decoration-color: ${(p) => p.theme.blue};
    text-underline-offset: 3px;
  }
  ul {
    margin: 2px 0 0;
    padding-left: 18px;
  }
`;

interface Props {
  lesson: Lesson;
  pointed: CardStep | null;
  truth: CardStep | null;
  onPoint: ((s: CardStep) => void) | undefined;
}

function Cutters({ lesson }: { lesson: Lesson }) {
  const { units } = useUnits();
  return (
    <Table aria-label="Cutters">
      <tbody>
        {lesson.tools.map((t) => (
          <tr key={t.number}>
            <td>
              <b>T{t.number}</b>
            </td>
            <td>{t.words}</td>
            <td className="n">{say(t.stickout_mm, 'mm', units, 1)} out</td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

/** The run card's steps of one setup, to be read. */
export function LessonCard({ lesson, pointed, truth, onPoint }: Props) {
  const mark = (step: CardStep | null) =>
    step !== null && step === truth ? 'truth' : step !== null && step === pointed ? 'pointed' : '';
  const title = (step: CardStep | null, words: string) =>
    step && onPoint ? (
      <button type="button" aria-pressed={step === pointed} onClick={() => onPoint(step)}>
        {words}
      </button>
    ) : (
      <b>{words}</b>
    );
  const one = (s: RunStep) => {
    const step = cardStep(s.id);
    return (
      <li key={s.id} className={mark(step)} data-card-step={step ?? undefined}>
        {title(step, s.title)}
        <ul>
          {s.says.map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
      </li>
    );
  };
  return (
    <>
      <h2 style={{ fontSize: 18 }}>The card</h2>
      <p>
        <Quiet>What is underlined can be pointed at.</Quiet>
      </p>
      <Steps>
        <li className={mark('cutters')} data-card-step="cutters">
          {title('cutters', 'Cutters of this side')}
          <Cutters lesson={lesson} />
        </li>
        {lesson.steps.filter((s) => cardStep(s.id) !== 'cutters').map(one)}
      </Steps>
    </>
  );
}
