import { useMemo, useState } from 'react';
import styled from 'styled-components';
import { usePart } from '../../frame/part';
import { useUnits } from '../../frame/settings';
import { say, saySize } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section } from '../../parts/basics';
import { FindingRow } from '../../parts/FindingRow';
import type { Sort } from '../../api/types';
import { groupsOf, left, reason, type Group } from './group';
import { Asks, Marks } from './Marks';
import { Fits } from './Fits';
import { Revision } from './Revision';
import { QuestionRow } from './QuestionRow';
import { grounds, Num } from '../../parts/Number';
import { Ways } from './Ways';
import { Take } from '../../parts/Take';

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
  tr.more td {
    border-top: 0;
    padding-left: 16px;
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

const sorts: readonly { id: Sort; words: string }[] = [
  { id: 'cut', words: 'to cut' },
  { id: 'relation', words: 'walls, patterns, crossings' },
  { id: 'edge', words: 'on edges' },
  { id: 'face', words: 'plain' },
];

/** A feature's own sizes, what stands in the way, what it needs. */
function More({ g }: { g: Group }) {
  const { units } = useUnits();
  const f = g.f;
  const size = (d: { name: string; value: number; unit: string }) =>
    `${d.name} ${d.unit === 'deg' ? `${say(d.value, '', units, 2)}°` : say(d.value, d.unit, units)}`;
  return (
    <tr className="more">
      <td colSpan={4}>
        <ul>
          {f.dims.length > 0 ? <li>{f.dims.map(size).join(', ')}</li> : null}
          {f.blocked.map((b) => (
            <li key={b.from}>
              Not from {b.from}: {b.by.charAt(0).toLowerCase() + b.by.slice(1)} stands in the way
            </li>
          ))}
          {f.cutter ? <li>Needs a {f.cutter}</li> : null}
          {f.remarks.map((r) => (
            <li key={r}>{r}</li>
          ))}
          {f.hard.map((h) => (
            <li key={h.what}>
              {h.what} {h.unit ? say(h.value, h.unit === '×' ? '' : h.unit, units) : ''} {h.unit === '×' ? '×' : ''}:{' '}
              <Quiet>{h.why}</Quiet>
            </li>
          ))}
        </ul>
        <Ways ways={f.ways} form={f.form} />
      </td>
    </tr>
  );
}

/** What the part is, what is doubtful and asked, and its features, the hardest first. */
export function PartTicket() {
  const { id, part: p, cutFrom, faces, setFaces, setPlaces, decide } = usePart();
  const { units } = useUnits();
  const [from, setFrom] = useState<string | null>(null);
  const [sort, setSort] = useState<Sort>('cut');
  const [open, setOpen] = useState<string | null>(null);
  const rows = useMemo(() => groupsOf(p), [p]);
  const sides = p.cut_from;
  const shown = rows.filter((g) => g.sort === sort && (from === null || g.f.from.includes(from)));
  const light = (list: readonly number[]) => {
    setPlaces([]);
    setFaces(faces === list ? [] : list);
  };
  const press = (g: Group) => {
    light(g.faces);
    setOpen(open === g.f.id ? null : g.f.id);
  };
  const unanswered = p.questions.filter((q) => q.answer === null).length;
  return (
    <>
      <Head>
        <h1>{p.body.what}</h1>
        <Quiet>{p.material}</Quiet>
      </Head>
      <Numbers>
        <dt>Size</dt>
        <dd>{saySize(p.size, units)}</dd>
        <dt>Read from</dt>
        <dd>
          {p.origin.format}
          {p.origin.fitted === null ? '' : `, faces fitted within ${say(p.origin.fitted, 'mm', units, 4)}`}
        </dd>
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
      {p.body.symmetry.length > 0 ? (
        <p>
          <Quiet>
            It is {p.body.symmetry.map((s) => s.what).join(', ')}: {p.body.symmetry[0]?.good_for}.
          </Quiet>
        </p>
      ) : null}
      {p.revised ? <Revision /> : null}
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
      {p.questions.length > 0 ? (
        <Section aria-label="Questions">
          <h2>{unanswered > 0 ? `${unanswered} of ${p.questions.length} questions are open` : 'All is answered'}</h2>
          <Rows>
            {p.questions.map((q) => (
              <li key={q.id}>
                <QuestionRow
                  question={q}
                  onAnswer={(answer) => decide({ about: 'answer', question: q.id, answer })}
                  onShow={() => light(q.faces)}
                />
              </li>
            ))}
          </Rows>
        </Section>
      ) : null}
      <Marks />
      <Section aria-label="Features">
        <h2>{p.features.length} features, the hardest first</h2>
        <Line>
          {sorts.map((s) => {
            const n = rows.filter((g) => g.sort === s.id).reduce((a, g) => a + g.count, 0);
            return n > 0 ? (
              <Button
                key={s.id}
                $small
                $main={sort === s.id}
                aria-pressed={sort === s.id}
                onPress={() => setSort(s.id)}
              >
                {n} {s.words}
              </Button>
            ) : null;
          })}
        </Line>
        {sort === 'cut' && sides.length > 1 ? (
          <Line style={{ marginTop: 6 }}>
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
        ) : null}
        <List>
          <thead>
            <tr>
              <th>what</th>
              {sort === 'relation' ? null : <th>from</th>}
              <th>hard by</th>
              {sort === 'relation' ? null : (
                <th className="n" title="Below the highest point of the part on its first side">
                  down
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {shown.flatMap((g) => {
              const why = cutFrom === null || sort === 'relation' ? null : left(g.f.from, cutFrom);
              const h = g.hard;
              const hard = g.is_hard || why !== null;
              const row = (
                <tr
                  key={g.f.id}
                  data-feature={g.f.kind}
                  data-hard={hard || undefined}
                  className={open === g.f.id ? 'lit' : ''}
                >
                  <td>
                    <button type="button" onClick={() => press(g)} aria-pressed={faces === g.faces}>
                      {g.count > 1 ? `${g.count} × ` : ''}
                      {g.f.what}
                    </button>
                  </td>
                  {sort === 'relation' ? null : (
                    <td className={why ? 'hard' : ''}>
                      {g.f.from.join(' ')} {why === null || why === 'no side' ? why : `▲ ${why}`}
                    </td>
                  )}
                  <td className={g.is_hard ? 'hard' : ''} title={h?.why}>
                    {h ? reason(h, units) : ''}
                  </td>
                  {sort === 'relation' ? null : (
                    <td className="n">{g.f.depth === null ? '' : <Num value={g.f.depth} unit="mm" bare />}</td>
                  )}
                </tr>
              );
              return open === g.f.id ? [row, <More key={`${g.f.id}+`} g={g} />] : [row];
            })}
          </tbody>
        </List>
        <p>
          <Quiet>Press a feature to light its faces and to see its sizes. Lengths in {units}.</Quiet>
        </p>
      </Section>
      <Fits />
      <Asks />
      {p.revised ? null : <Revision />}
      <Section aria-label="Files to take along">
        <h2>Files to take along</h2>
        <Take
          at={`/api/jobs/${id}/export`}
          words="The part"
          files={[
            ...(p.origin.fitted === null ? [{ file: 'part.step', words: 'STEP, exact' }] : []),
            { file: 'part.stl', words: 'STL, mm' },
            { file: 'outline.dxf', words: 'outline as DXF' },
          ]}
        />
        <p style={{ marginTop: 6 }}>
          <a href={`/api/jobs/${id}/model`} download>
            The file as it was given
          </a>
        </p>
      </Section>
    </>
  );
}
