import { useQuery } from '@tanstack/react-query';
import { Link as To } from 'react-router';
import { formsQuery, rackQuery } from '../../api';
import { useStock } from '../../frame/stock';
import { Line, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';

/** Other finished forms of the same blank, and whether there are enough blanks for all. */
export function Forms() {
  const { id, state } = useStock();
  const rack = useQuery(rackQuery);
  const forms = useQuery({
    ...formsQuery(id, state.card.revision, rack.data?.revision ?? -1),
    enabled: rack.data !== undefined,
  });
  const f = forms.data;
  if (!f || f.piece === null || f.forms.length === 0) return null;
  return (
    <Section aria-label="Other finished forms of this blank">
      <h2>Other finished forms of this blank</h2>
      {f.wanted > f.left ? (
        <p role="status">
          ▲ {f.wanted} jobs want one of {f.piece} and the rack has {f.left === 0 ? 'none' : f.left}: choose another
          piece for one of them, or bring some in.
        </p>
      ) : null}
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
            {o.words ? <Quiet>Against this part: {o.words}</Quiet> : null}
          </li>
        ))}
      </Rows>
    </Section>
  );
}
