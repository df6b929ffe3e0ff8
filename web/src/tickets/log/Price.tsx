import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as To } from 'react-router';
import styled from 'styled-components';
import { priceQuery } from '../../api';
import type { Price as Whole, PriceTerm } from '../../api/types';
import { useJob } from '../../frame/job';
import { useInWords, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Head, Line, Quiet, Section, Table } from '../../parts/basics';
import { Field } from '../../parts/Field';

const Bars = styled.div`
  display: grid;
  grid-template-columns: auto 1fr auto;
  gap: 3px 10px;
  align-items: center;
  i {
    display: block;
    height: 12px;
    background: ${(p) => p.theme.brass};
  }
  .n {
    text-align: right;
  }
`;

/** Money always has its two places. */
const money = (v: number) => v.toFixed(2);

function Terms({ title, terms }: { title: string; terms: readonly PriceTerm[] }) {
  const { units } = useUnits();
  return (
    <tbody>
      <tr>
        <th colSpan={3} scope="colgroup" style={{ textAlign: 'left', paddingTop: 8 }}>
          {title}
        </th>
      </tr>
      {terms.map((t) => (
        <tr key={t.what}>
          <td>
            {t.what}
            <br />
            <Quiet>{t.why}</Quiet>
          </td>
          <td className="n">{t.minutes === null ? '' : say(t.minutes, 'min', units, 1)}</td>
          <td className="n">{money(t.amount)}</td>
        </tr>
      ))}
    </tbody>
  );
}

/** What one piece costs where more or fewer are made. */
function Curve({ price }: { price: Whole }) {
  const all = [...price.others, price.now].toSorted((a, b) => a.pieces - b.pieces);
  const most = Math.max(...all.map((p) => p.each), 1e-9);
  return (
    <Bars role="list" aria-label="A piece costs, by how many are made">
      {all.map((p) => (
        <div key={p.pieces} role="listitem" style={{ display: 'contents' }}>
          <span className="n">{p.pieces === price.now.pieces ? <b>{p.pieces}</b> : p.pieces}</span>
          <i style={{ width: `${(100 * p.each) / most}%` }} aria-hidden />
          <span className="n">{money(p.each)}</span>
        </div>
      ))}
    </Bars>
  );
}

/** What a piece costs by the shop's own rates, and what that is made of. */
export function Price() {
  const { id, state } = useJob();
  const { units } = useUnits();
  const [asked, setAsked] = useState<number | null>(null);
  const q = useQuery(priceQuery(id, state.sheet_revision, state.card.revision, asked));
  const p = useInWords(units, q.data);
  return (
    <Section aria-label="Price">
      <Head style={{ alignItems: 'center' }}>
        <h2>What a piece costs</h2>
        <Line>
          <Quiet>if so many are made</Quiet>
          <Field
            label="Pieces to reckon with"
            value={asked ?? p?.now.pieces ?? 1}
            unit=""
            digits={0}
            tight
            onSet={(n) => setAsked(n === null ? null : Math.max(1, Math.round(n)))}
          />
        </Line>
      </Head>
      {q.error ? <p role="alert">{q.error.message}</p> : null}
      {p ? (
        <>
          <p data-price={p.now.pieces} style={{ fontSize: 18, margin: '6px 0' }}>
            <b>
              {money(p.now.each)} {p.money}
            </b>{' '}
            a piece{p.now.pieces > 1 ? `, ${money(p.now.all)} for all ${p.now.pieces}` : ''}
          </p>
          <p>
            {p.took ? (
              <>
                From what {p.took.pieces} good piece{p.took.pieces > 1 ? 's' : ''} of this plan took:{' '}
                <b>{say(p.took.running, 'min', units, 1)}</b> run and {say(p.took.loading, 'min', units, 1)} loading;
                planned were {say(p.planned[0], 'min', units, 1)} and {say(p.planned[1], 'min', units, 1)}.
              </>
            ) : (
              <Quiet>
                From the plan’s minutes. As soon as good pieces are through, what they took is counted with.
              </Quiet>
            )}
          </p>
          <details>
            <summary>What it is made of</summary>
            <Table aria-label="Terms of the price">
              <Terms title={`Once, shared by ${p.now.pieces}`} terms={p.once} />
              <Terms
                title={p.scrap > 0 ? `Each piece, and ${say(100 * p.scrap, '', units, 0)} % spoiled` : 'Each piece'}
                terms={p.each}
              />
            </Table>
          </details>
          <Curve price={p} />
          <p>
            <Quiet>
              {p.not_in_it.length > 0 ? `Not in it: ${p.not_in_it.join('; ')}. ` : ''}A piece costs{' '}
              {say(p.now.machine_min, 'min', units, 1)} of the machine and {say(p.now.person_min, 'min', units, 1)} of a
              person. Hours and minutes by{' '}
            </Quiet>
            <To to="/shop/rates">the shop’s rates</To>
          </p>
        </>
      ) : q.error ? null : (
        <Quiet>It comes with the plan.</Quiet>
      )}
    </Section>
  );
}
