import { useMemo, useState } from 'react';
import styled from 'styled-components';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say, saySize } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section } from '../../parts/basics';
import { FindingRow } from '../../parts/FindingRow';
import { grouped, left, type Group } from './group';
import { grounds, Num } from '../../parts/Number';

const Numbers = styled.dl`
  display: grid;
  grid-template-columns: auto auto auto auto;
  gap: 2px 16px;
  justify-content: start;
  dt {
    color: ${(p) => p.theme.quiet};
  }
`;

const List = styled.table`
  width: 100%;
  td,
  th {
    padding: 4px 8px 4px 0;
    border-top: 1px solid ${(p) => p.theme.rule};
    text-align: left;
    vertical-align: top;
  }
  th {
    font-weight: 400;
    color: ${(p) => p.theme.quiet};
    border-top: 0;
  }
  .n {
    text-align: right;
    white-space: nowrap;
  }
  tr.lit td {
    background: ${(p) => p.theme.blueWash};
  }
  tr[data-hard] .hard {
    font-weight: 600;
    color: ${(p) => p.theme.amber};
  }
  button {
    border: 0;
    background: none;
    padding: 0;
    text-align: left;
    color: inherit;
    cursor: pointer;
    border-bottom: 1.5px dotted ${(p) => p.theme.blue};
  }
`;

/** Deeper than this many diameters a cutter bends and chatters: where long tools begin (common practice, no source). */
const LONG = 4;

/** What the part is, what is doubtful, and its features with the one number that makes each hard. */
export function PartTicket() {
  const { id, sheet, faces, setFaces, setPlaces } = useJob();
  const { units } = useUnits();
  const p = sheet.part;
  const [from, setFrom] = useState<string | null>(null);
  const sides = useMemo(() => [...new Set(p.features.flatMap((f) => f.from))].sort(), [p.features]);
  const rows = useMemo(() => grouped(p.features), [p.features]);
  const shown = from === null ? rows : rows.filter((g) => g.from.includes(from));
  const light = (g: Group) => {
    setPlaces([]);
    setFaces(faces === g.faces ? [] : g.faces);
  };
  return (
    <>
      <Head>
        <h1>{saySize(p.size, units)}</h1>
        <Quiet>{sheet.stock.material_name}</Quiet>
      </Head>
      <Numbers>
        <dt>Volume</dt>
        <dd>
          <Num value={p.volume} unit="mm³" digits={0} why={grounds('Volume', p.mass_why)} />
        </dd>
        <dt>Weight</dt>
        <dd>
          <Num value={p.mass * 1000} unit="g" digits={p.mass < 0.1 ? 1 : 0} why={grounds('Weight', p.mass_why)} />
        </dd>
        <dt>Surface</dt>
        <dd>
          <Num value={p.area} unit="mm²" digits={0} />
        </dd>
        <dt>Faces</dt>
        <dd>{p.faces.length}</dd>
      </Numbers>
      {p.doubts.length > 0 ? (
        <Section aria-label="Doubts">
          <h2>Doubtful</h2>
          <Rows>
            {p.doubts.map((d) => (
              <li key={d.id}>
                <FindingRow finding={d} />
              </li>
            ))}
          </Rows>
        </Section>
      ) : null}
      <Section aria-label="Features">
        <Line style={{ justifyContent: 'space-between' }}>
          <h2>{p.features.length} features</h2>
          <Line>
            <Quiet>cut from</Quiet>
            <Button $small $main={from === null} aria-pressed={from === null} onPress={() => setFrom(null)}>
              any
            </Button>
            {sides.map((s) => (
              <Button key={s} $small $main={from === s} aria-pressed={from === s} onPress={() => setFrom(s)}>
                {s}
              </Button>
            ))}
          </Line>
        </Line>
        <List>
          <thead>
            <tr>
              <th>what</th>
              <th>from</th>
              <th className="n">depth</th>
              <th className="n">corner</th>
              <th className="n" title="Depth divided by the diameter of the largest cutter that fits">
                reach
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((g) => {
              const why = left(g, sheet.hold.up);
              const long = (g.reach ?? 0) > LONG;
              return (
                <tr
                  key={g.id}
                  data-feature={g.kind}
                  data-hard={long || why !== null || undefined}
                  className={faces === g.faces ? 'lit' : ''}
                >
                  <td>
                    <button type="button" onClick={() => light(g)} aria-pressed={faces === g.faces}>
                      {g.count > 1 ? `${g.count} × ` : ''}
                      {g.what}
                    </button>
                  </td>
                  <td className={why ? 'hard' : ''}>
                    {g.from.join(' ')} {why === 'another side' ? `▲ ${why}` : why}
                  </td>
                  <td className="n">{g.depth === null ? '' : <Num value={g.depth} unit="mm" bare />}</td>
                  <td className="n">{g.corner === null ? '' : `R ${say(g.corner, 'mm', units).replace(/ .*/, '')}`}</td>
                  <td className={`n ${long ? 'hard' : ''}`}>{g.reach === null ? '' : `${g.reach.toFixed(1)} ×`}</td>
                </tr>
              );
            })}
          </tbody>
        </List>
        <p>
          <Quiet>
            Press a feature to light its faces. Lengths in {units}; reach is depth ÷ the largest cutter that fits.
          </Quiet>
        </p>
      </Section>
      <p style={{ marginTop: 12 }}>
        <a href={`/api/jobs/${id}/model`} download>
          Take the STEP file back
        </a>
      </p>
    </>
  );
}
