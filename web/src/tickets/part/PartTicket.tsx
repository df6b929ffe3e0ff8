import { useMemo, useState } from 'react';
import styled from 'styled-components';
import type { Feature } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say, saySize } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section } from '../../parts/basics';
import { FindingRow } from '../../parts/FindingRow';
import { Num } from '../../parts/Number';

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

const hard = (f: Feature, left: boolean) => left || f.from.length === 0 || (f.reach ?? 0) > LONG;

/** What the part is, what is doubtful, and its features with the one number that makes each hard. */
export function PartTicket() {
  const { id, sheet, faces, setFaces, setPlaces } = useJob();
  const { units } = useUnits();
  const p = sheet.part;
  const [from, setFrom] = useState<string | null>(null);
  const left = useMemo(
    () =>
      new Map(
        sheet.proof.findings
          .filter((f) => /another_side|uncut|not_makeable|sharp|unreachable/.test(f.kind))
          .map((f) => [f.what, f]),
      ),
    [sheet.proof.findings],
  );
  const sides = useMemo(() => [...new Set(p.features.flatMap((f) => f.from))].sort(), [p.features]);
  const shown = from === null ? p.features : p.features.filter((f) => f.from.includes(from));
  const said = (f: Feature) => [...left.values()].find((x) => x.what.startsWith(f.what));
  const light = (f: Feature) => {
    setPlaces([]);
    setFaces(faces === f.faces ? [] : f.faces);
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
          <Num value={p.volume} unit="mm³" digits={0} />
        </dd>
        <dt>Weight</dt>
        <dd>
          <Num value={p.mass * 1000} unit="g" digits={p.mass < 0.1 ? 1 : 0} />
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
          <h3>Doubtful</h3>
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
          <h3>
            {p.features.length} features{from ? `, ${shown.length} from ${from}` : ''}
          </h3>
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
            {shown.map((f) => {
              const x = said(f);
              return (
                <tr
                  key={f.id}
                  data-feature={f.kind}
                  data-hard={hard(f, Boolean(x)) || undefined}
                  className={faces === f.faces ? 'lit' : ''}
                >
                  <td>
                    <button type="button" onClick={() => light(f)} aria-pressed={faces === f.faces}>
                      {f.what}
                    </button>
                  </td>
                  <td className={f.from.length === 0 ? 'hard' : ''}>
                    {f.from.length === 0 ? 'no side' : f.from.join(' ')}
                  </td>
                  <td className="n">{f.depth === null ? '' : <Num value={f.depth} unit="mm" bare />}</td>
                  <td className="n">{f.corner === null ? '' : `R ${say(f.corner, 'mm', units).replace(/ .*/, '')}`}</td>
                  <td className={`n ${(f.reach ?? 0) > LONG ? 'hard' : ''}`}>
                    {f.reach === null ? '' : `${f.reach.toFixed(1)} ×`}
                  </td>
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
