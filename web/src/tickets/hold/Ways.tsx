import { useQuery } from '@tanstack/react-query';
import styled, { useTheme } from 'styled-components';
import { waysQuery } from '../../api';
import type { Crossing, Drawn, WaySetup, WholeWay } from '../../api/types';
import { useJob } from '../../frame/job';
import { useInWords, useUnits } from '../../frame/settings';

import { say } from '../../model/units';
import { Button, Line, Quiet, Section } from '../../parts/basics';
import { Field } from '../../parts/Field';
import { Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { Bar } from './Crossings';

const List = styled.ol`
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
`;

const Row = styled.li<{ $chosen: boolean }>`
  display: grid;
  grid-template-columns: 148px 1fr;
  gap: 4px 14px;
  border-top: 1px solid ${(p) => p.theme.rule};
  border-left: ${(p) => (p.$chosen ? `5px solid ${p.theme.ink}` : '5px solid transparent')};
  padding: 8px 0 10px 9px;
  &:last-child {
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
  h3 {
    font-size: inherit;
    margin: 0;
  }
  p {
    margin: 2px 0 0;
  }
`;

const Drawings = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
  align-content: start;
  font-size: 13px;
  color: ${(p) => p.theme.quiet};
  svg {
    display: block;
    width: 100%;
    height: 52px;
  }
`;

/** What a person sees from the right end of the vise: front on the left. */
function Drawing({ of: s }: { of: WaySetup }) {
  const t = useTheme();
  const known = (d: Drawn) => d.name === 'part' || d.name === 'stock';
  const drawn = s.drawn ?? [];
  const around = drawn.filter(known);
  if (around.length === 0) return null;
  const least = (k: number) => Math.min(...around.map((d) => d.at[k] ?? 0));
  const most = (k: number) => Math.max(...around.map((d) => d.at[k] ?? 0));
  // A little of the jaws and of what it stands on.
  const [y0, z0, y1, z1] = [least(0), least(1), most(2), most(3)];
  const rim = 0.22 * Math.max(y1 - y0, z1 - z0, 20);
  const view = [y0 - rim, -z1 - 0.3 * rim, y1 - y0 + 2 * rim, z1 - z0 + 1.1 * rim];
  const fill = (d: Drawn) => (d.name === 'part' ? t.steel : d.name === 'stock' ? t.brassWash : t.jaw);
  const order = (d: Drawn) => (d.name === 'stock' ? 0 : d.name === 'part' ? 2 : 1);
  return (
    <div>
      <svg viewBox={view.join(' ')} role="img" aria-label={`${s.name} in ${s.hold}, ${s.up} up`}>
        {[...drawn]
          .sort((a, b) => order(a) - order(b))
          .map((d, k) => (
            <rect
              key={k}
              x={d.at[0]}
              y={-d.at[3]}
              width={d.at[2] - d.at[0]}
              height={d.at[3] - d.at[1]}
              fill={fill(d)}
              {...(d.name === 'stock' ? { stroke: t.brass, strokeWidth: 1, vectorEffect: 'non-scaling-stroke' } : {})}
            />
          ))}
      </svg>
      {s.up} up
    </div>
  );
}

/** The tightest size that crosses the flip, as a bar against what is allowed. */
function Tightest({ of: c }: { of: Crossing }) {
  const { units } = useUnits();
  return (
    <Line>
      <Bar
        of={c}
        label={`Likely ${say(c.likely_mm, 'mm', units, 3)}, at worst ${say(c.worst_mm, 'mm', units, 3)}, allowed ${say(c.allowed_mm, 'mm', units, 3)}`}
      />
      <span>
        ± {say(c.worst_mm, 'mm', units, 3)} at worst of {say(c.allowed_mm, 'mm', units, 3)} <Quiet>{c.what}</Quiet>
      </span>
    </Line>
  );
}

function Facts({ of: w, quantity }: { of: WholeWay; quantity: number }) {
  const { units } = useUnits();
  const min = (v: number) => say(v, 'min', units, 1);
  const terms = [...w.each, ...w.once.map((o) => ({ ...o, meaning: `once: ${o.meaning}` }))];
  return (
    <>
      <p>
        {w.planned ? '' : 'about '}
        <b>
          <Num value={w.piece_min} unit="min" digits={1} why={{ title: 'Minutes a piece', terms }} />
        </b>{' '}
        a piece{' '}
        <Quiet>
          ({min(w.machine_min)} machine, {min(w.attended_min)} by hand, {min(w.once_min)} once
          {quantity > 1 ? ` for ${quantity}` : ''})
        </Quiet>
      </p>
      {w.crossings[0] ? (
        <Tightest of={w.crossings[0]} />
      ) : w.planned ? null : (
        <p>
          <Quiet>zero and seat of the later sides ± {say(w.error_mm[0], 'mm', units, 3)} at worst</Quiet>
        </p>
      )}
      {w.makes.length > 0 ? <p>To be made first: {w.makes.join(', ')}</p> : null}
      {w.risk ? (
        <p>
          <Quiet>Watch:</Quiet> {w.risk}
        </p>
      ) : null}
    </>
  );
}

/** Whole ways of making the part, the one to take first; any can be chosen. */
export function Ways() {
  const { id, sheet, state, decide } = useJob();
  const { units } = useUnits();
  const ways = useInWords(units, useQuery(waysQuery(id, state.sheet_revision)).data);
  const decided = sheet.hold.scheme_decided;
  const open = ways?.ways.filter((w) => !w.why_not) ?? [];
  const shut = ways?.refused ?? [];
  const quantity = ways?.quantity ?? 1;
  return (
    <Section aria-label="Whole ways">
      <Line style={{ justifyContent: 'space-between' }}>
        <h2 style={{ margin: 0 }}>Ways to make it</h2>
        <Line>
          <Quiet>Pieces</Quiet>
          <Field
            label="Pieces"
            value={quantity}
            unit=""
            digits={0}
            tight
            onSet={(n) => decide({ about: 'quantity', pieces: n === null ? null : Math.round(n) })}
          />
          {decided ? (
            <Button $small onPress={() => decide({ about: 'scheme', id: null })}>
              Back to the proposed way
            </Button>
          ) : null}
        </Line>
      </Line>
      {ways?.done ? null : (
        <Quiet role="status">
          {ways ? 'The best of them are being planned and proved.' : 'Other ways are being looked for.'}
        </Quiet>
      )}
      {ways?.pays.map((p) => (
        <p key={p} data-pays>
          {p}
        </p>
      ))}
      <List>
        {open.map((w, k) => {
          const here = w.id === sheet.hold.scheme;
          return (
            <Row key={w.id} $chosen={here} data-way={w.id}>
              <Drawings>
                {w.setups.map((s) => (
                  <Drawing key={s.name} of={s} />
                ))}
              </Drawings>
              <div>
                <Line style={{ justifyContent: 'space-between', flexWrap: 'nowrap', alignItems: 'start' }}>
                  <h3>{w.words}</h3>
                  {here ? (
                    <Stamp kind={decided ? 'decided' : 'proposed'} words={decided ? 'decided' : 'planned'} />
                  ) : (
                    <Button
                      $small
                      aria-label={`Make it this way: ${w.words}`}
                      onPress={() => decide({ about: 'scheme', id: w.id })}
                    >
                      Make it this way
                    </Button>
                  )}
                </Line>
                <p>
                  {k === 0 ? <b>Take this. </b> : null}
                  {w.why}
                </p>
                <Facts of={w} quantity={quantity} />
              </div>
            </Row>
          );
        })}
      </List>
      {shut.length > 0 ? (
        <details style={{ marginTop: 8 }}>
          <summary>
            {shut.length === 1 ? 'One way cannot be, and why' : `${shut.length} ways cannot be, and why`}
          </summary>
          <ul>
            {shut.map(([words, why]) => (
              <li key={words} data-refused={words}>
                {words}: <Quiet>{why}</Quiet>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </Section>
  );
}
