import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { whatIfQuery } from '../../api';
import type { WhatIf, WhatIfs } from '../../api/types';
import { useJob } from '../../frame/job';
import { useInWords, useUnits } from '../../frame/settings';
import { atLine, type Cursor } from '../../model/strip';
import { counted, gravities, lastMoments, ofSetup, type Gravity, type LastMoment } from '../../model/whatIf';
import { clock } from '../../model/units';
import { Line, Link, Quiet, Rows, Section, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';

const Grid = styled(Table)`
  width: 100%;
  td:first-child {
    white-space: nowrap;
    font-weight: 600;
  }
  .breaks {
    color: ${(p) => p.theme.red};
  }
  .spoils {
    color: ${(p) => p.theme.amber};
  }
  .nothing {
    color: ${(p) => p.theme.quiet};
    font-weight: 400;
  }
`;

/** Shape as well as colour. */
const words: Record<Gravity, string> = { breaks: '⬣ breaks', spoils: '▲ spoils', nothing: '• nothing' };

function Fault({ row, onShow }: { row: WhatIf; onShow: (() => void) | undefined }) {
  const g = gravities[row.gravity] ?? 'breaks';
  const where = [row.shows_in === row.setup ? null : row.shows_in, row.line ? `line ${row.line}` : null];
  const told = where.filter(Boolean).join(', ');
  return (
    <tr data-what-if={g}>
      <td className={g}>{words[g]}</td>
      <td>
        <b>{row.fault}</b>
        {g === 'nothing' ? null : (
          <>
            <div>
              {row.spoiled}
              {told ? <Quiet> ({told})</Quiet> : null} {onShow ? <Link onPress={onShow}>Show the place</Link> : null}
            </div>
            <div>
              <Quiet>{row.proposed ? 'Proposed, and put on the run card: ' : 'Caught by '}</Quiet>
              {row.caught_by}
            </div>
          </>
        )}
      </td>
    </tr>
  );
}

/** Moments after which a check helps no more, in order. */
function Moments({ moments, show }: { moments: readonly LastMoment[]; show: (m: LastMoment) => void }) {
  if (moments.length === 0) return null;
  return (
    <>
      <h3>Points of no return</h3>
      <Rows>
        {moments.map((m) => (
          <li key={`${m.at.setup} ${m.at.at} ${m.words[0] ?? ''}`}>
            <Line>
              <b style={{ minWidth: 108 }}>
                Side {m.at.setup + 1}, {clock(m.at.at)}
              </b>
              <span style={{ flex: 1 }}>{m.words.join('; ')}</span>
              <Link onPress={() => show(m)}>line {m.line}</Link>
            </Line>
          </li>
        ))}
      </Rows>
    </>
  );
}

function Tried({ all }: { all: WhatIfs }) {
  const { sheet, strip, cursor, setPlaces } = useJob();
  const [setup, setSetup] = useState('');
  const [harmless, setHarmless] = useState(false);
  const n = counted(all.rows);
  const rows = ofSetup(all.rows, setup);
  const shown = rows.filter((r) => harmless || r.gravity > 0);
  const go = (c: Cursor) => cursor.set(c);
  const placed = (r: WhatIf) => {
    const k = sheet.sides.findIndex((s) => s.name === (r.shows_in ?? r.setup));
    const t = strip?.setups[k];
    if (r.places.length === 0 && !(t && r.line)) return undefined;
    return () => {
      setPlaces(r.places);
      if (t && r.line) go({ setup: k, at: atLine(t, r.line) });
      else if (t) go({ setup: k, at: t.seconds });
    };
  };
  const sides = [...new Set(all.rows.map((r) => r.setup ?? ''))];
  return (
    <>
      <p>
        {all.done
          ? `${all.rows.length} faults tried on these programs`
          : `${all.rows.length} of ${all.of} faults tried so far`}
        : <b>{n.breaks}</b> break something, <b>{n.spoils}</b> spoil the part, {n.nothing} do nothing.
      </p>
      {strip && all.done ? (
        <Moments
          moments={lastMoments(
            all.rows,
            strip,
            sheet.sides.map((s) => s.name),
          )}
          show={(m) => {
            setPlaces([]);
            go(m.at);
          }}
        />
      ) : null}
      <Line style={{ marginTop: 10 }}>
        <Choice
          label="Faults of"
          value={setup}
          options={[{ id: '', words: 'all sides' }, ...sides.filter(Boolean).map((s) => ({ id: s, words: s }))]}
          onChange={setSetup}
        />
        <Link onPress={() => setHarmless(!harmless)}>
          {harmless ? 'Hide what does nothing' : `Show the ${n.nothing} that do nothing too`}
        </Link>
      </Line>
      <Grid aria-label="Faults">
        <tbody>
          {shown.map((r) => (
            <Fault key={`${r.setup ?? ''} ${r.fault}`} row={r} onShow={placed(r)} />
          ))}
        </tbody>
      </Grid>
    </>
  );
}

/** What would happen if something at the machine were wrong, and what would catch it. */
export function WhatIfSection() {
  const { id, sheet, state } = useJob();
  const { units } = useUnits();
  const q = useQuery(whatIfQuery(id, sheet.proof.passed ? state.sheet_revision : null));
  const all = useInWords(units, q.data);
  return (
    <Section aria-label="What if">
      <h2>What if something is wrong at the machine?</h2>
      {!sheet.proof.passed ? (
        <Quiet>Nothing is tried on programs that may not run: mend the stops first.</Quiet>
      ) : q.error ? (
        <p role="alert">The faults cannot be loaded: {q.error.message}</p>
      ) : !all || (all.rows.length === 0 && !all.done) ? (
        <Quiet>
          Other cutters, lengths, zeros, a chip under the piece: each is tried on these programs when nothing else is to
          be worked out. It comes here by itself.
        </Quiet>
      ) : all.of === 0 ? (
        <Quiet>By itself this plan is not proved: there is nothing to compare faults with.</Quiet>
      ) : (
        <Tried all={all} />
      )}
    </Section>
  );
}
