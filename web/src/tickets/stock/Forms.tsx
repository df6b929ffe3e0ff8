import { useQuery } from '@tanstack/react-query';
import { Link as To } from 'react-router';
import { formsQuery, rackQuery } from '../../api';
import { useInWords, useUnits } from '../../frame/settings';
import { useStock } from '../../frame/stock';
import { say } from '../../model/units';
import { Line, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';

/** Other finished forms of the same blank, and whether there are enough blanks for all. */
export function Forms() {
  const { id, state } = useStock();
  const { units } = useUnits();
  const rack = useQuery(rackQuery);
  const forms = useQuery({
    ...formsQuery(id, state.card.revision, rack.data?.acted ?? -1),
    enabled: rack.data !== undefined,
  });
  const f = useInWords(units, forms.data);
  if (!f || f.piece === null || f.forms.length === 0) return null;
  return (
    <Section aria-label="Also cut from this piece">
      <h2>Also cut from this piece</h2>
      {f.enough ? null : (
        <p role="status">
          ▲{' '}
          {f.lengths
            ? `${f.wanted} jobs saw ${say(f.lengths[0], 'mm', units)} off ${f.piece} in all, and the rack has ${say(f.lengths[1], 'mm', units)}`
            : `${f.wanted} jobs want one of ${f.piece}, and the rack has ${f.left === 0 ? 'none' : f.left}`}
          : choose another piece for one of them, or bring some in.
        </p>
      )}
      <Rows>
        {f.forms.map((o) => (
          <li key={o.job} data-form={o.job}>
            <Line>
              <To to={`/jobs/${o.job}/stock`}>{o.title}</To>
              <Stamp
                kind={o.chosen ? 'decided' : 'proposed'}
                words={o.taken ? 'has taken one' : o.chosen ? 'decided' : 'proposed'}
              />
            </Line>
            {o.words ? <Quiet>Another finished form: {o.words}</Quiet> : null}
          </li>
        ))}
      </Rows>
    </Section>
  );
}
