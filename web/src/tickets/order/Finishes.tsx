import styled from 'styled-components';
import type { Finished, Made, SideSheet } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Line, Link, Quiet, Section } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Stamp } from '../../parts/Stamp';

const List = styled.ul`
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 10px;
  h3 {
    margin: 0;
    font-size: 15px;
    font-weight: 600;
  }
`;

const words: Record<Made, string> = {
  tap: 'by a tap in the spindle',
  mill: 'by a thread mill',
  ream: 'by a reamer in the spindle',
  hand: 'by hand, after the program',
};

/** What a person may choose: what can be, and always the hand. */
export const choices = (f: Finished): Made[] => [
  ...new Set([...f.ways.filter((w) => w.possible).map((w) => w.how), 'hand' as const]),
];

/** Threads and fits of a job: how each is made, why, and what else could make it. */
export function Finishes({ sides, choose }: { sides: SideSheet[]; choose: (id: string) => void }) {
  const all = sides.flatMap((side) => side.finished.map((f) => ({ side, f })));
  if (all.length === 0) return null;
  return (
    <Section aria-label="Threads and fits">
      <h2>Threads and fits</h2>
      <List>
        {all.map(({ side, f }) => (
          <Row
            key={`${side.name}/${f.operation ?? f.question}/${f.holes[0]?.mouth_mm.join(',')}`}
            f={f}
            side={side.name}
            choose={choose}
          />
        ))}
      </List>
    </Section>
  );
}

function Row({ f, side, choose }: { f: Finished; side: string; choose: (id: string) => void }) {
  const { decide } = useJob();
  const { units } = useUnits();
  const full = Math.min(...f.holes.map((h) => h.full_mm));
  const not = f.ways.filter((w) => !w.possible);
  const tool = f.ways.find((w) => w.possible && w.how === f.how);
  return (
    <li data-finish={f.question} data-how={f.how}>
      <Line style={{ justifyContent: 'space-between' }}>
        <h3>
          {f.holes.length} × {f.wants}
        </h3>
        <Stamp kind={f.by_person ? 'decided' : 'proposed'} words={f.by_person ? 'decided' : 'proposed'} />
      </Line>
      <Line>
        <Choice
          label={`How ${f.wants} is made`}
          value={f.how}
          options={choices(f).map((id) => ({ id, words: words[id] }))}
          onChange={(answer) => decide({ about: 'answer', question: f.question, answer })}
        />
        {f.operation ? (
          <Link onPress={() => choose(f.operation ?? '')}>
            {side}, T{tool?.tool}
          </Link>
        ) : null}
        {f.by_person ? (
          <Link onPress={() => decide({ about: 'answer', question: f.question, answer: null })}>As proposed</Link>
        ) : null}
      </Line>
      <p>
        {f.why}.{f.operation ? ` Full down to ${say(full, 'mm', units, 1)} below the mouth.` : ''}
      </p>
      {not.map((w) => (
        <Quiet key={w.tool} as="p">
          Not by T{w.tool}, {w.words}: {w.why}.
        </Quiet>
      ))}
    </li>
  );
}
