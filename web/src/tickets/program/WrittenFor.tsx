import { useJob } from '../../frame/job';
import { Line, Link, Quiet, Section } from '../../parts/basics';
import { Choice } from '../../parts/Choice';

/** The control that the programs are written for: the mill's own, or one that a person chose for this job. */
export function WrittenFor() {
  const { sheet, decide } = useJob();
  const c = sheet.control;
  if (c.all.length === 0) return null;
  return (
    <Section aria-label="Written for">
      <Line>
        <b>Written for</b>
        <Choice
          label="Control that the programs are written for"
          value={c.id}
          options={c.all.map(([id, words]) => ({ id, words }))}
          onChange={(id) => decide({ about: 'control', id })}
        />
        {c.chosen ? (
          <Link onPress={() => decide({ about: 'control', id: null })}>As the mill has it</Link>
        ) : (
          <Quiet>the mill’s own</Quiet>
        )}
      </Line>
      <Quiet as="p">{c.about}.</Quiet>
    </Section>
  );
}
