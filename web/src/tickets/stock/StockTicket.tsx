import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { api, rackQuery } from '../../api';
import type { Candidate, Laying, RackSheet, Sheet } from '../../api/types';
import { useStock } from '../../frame/stock';
import { refuse, tell, useInWords, useUnits } from '../../frame/settings';
import { formWords, skinWords } from '../../model/pieces';
import { capital, say, saySize } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Field } from '../../parts/Field';
import { FindingRow } from '../../parts/FindingRow';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { sourceLine } from '../../parts/Sources';
import { Forms } from './Forms';
import { LayDrawing } from './LayDrawing';
import { LayForm } from './LayForm';
import { Rack } from './Rack';
import { Rehearsal } from './Rehearsal';
import { useStockBench } from './bench';
import { ROLES } from './words';

const Figures = styled.dl`
  display: grid;
  grid-template-columns: repeat(4, auto);
  gap: 0 20px;
  margin-top: 8px;
  dt {
    color: ${(p) => p.theme.quiet};
    font-size: 14px;
  }
  dd {
    font-weight: 500;
  }
`;

const axes = ['X', 'Y', 'Z'] as const;

/** A block by the rule or by typed sizes. */
function Sizes({ sheet }: { sheet: Sheet }) {
  const { decide } = useStock();
  const s = sheet.stock;
  const size = (k: number, v: number | null) => {
    if (v === null) return decide({ about: 'stock', choice: null });
    const sizes: [number, number, number] = [...s.size];
    sizes[k] = v;
    decide({ about: 'stock', choice: { Sizes: sizes } });
  };
  return (
    <Section aria-label="Size of the block">
      <h2>{s.bar ? capital(s.bar) : `Block of the plan${s.laid ? '' : ', sawn'}`}</h2>
      {s.bar ? <Quiet>As long as the collet wants it; a size typed here takes a block instead.</Quiet> : null}
      <Table>
        <thead>
          <tr>
            <th>along the part</th>
            <th>block</th>
            <th className="n">part</th>
            <th className="n">over, low end</th>
            <th className="n">over, high end</th>
          </tr>
        </thead>
        <tbody>
          {axes.map((a, k) => (
            <tr key={a}>
              <td>{a}</td>
              <td>
                <Field label={`Block along ${a}`} value={s.size[k] ?? 0} unit="mm" onSet={(v) => size(k, v)} />
              </td>
              <td className="n">
                <Num value={sheet.part.size[k] ?? 0} unit="mm" bare />
              </td>
              <td className="n">
                <Num value={s.over[k]?.[0] ?? 0} unit="mm" bare />
              </td>
              <td className="n">
                <Num value={s.over[k]?.[1] ?? 0} unit="mm" bare />
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}

/** What each face of the blank keeps over the part, and what the rule wants. */
function Over({ l }: { l: Laying }) {
  return (
    <Section aria-label="Over on each face">
      <h2>Over on each face</h2>
      <Table>
        <thead>
          <tr>
            <th>face</th>
            <th>becomes</th>
            <th className="n">over</th>
            <th className="n">wanted</th>
          </tr>
        </thead>
        <tbody>
          {axes.flatMap((a, k) =>
            ([0, 1] as const).map((e) => {
              const want = l.wants[k]?.[e];
              const role = l.roles[k]?.[e];
              return want && role ? (
                <tr key={`${a}${e}`}>
                  <td>
                    {e === 0 ? '−' : '+'}
                    {a}
                  </td>
                  <td>{ROLES[role]}</td>
                  <td className="n">
                    <Num value={l.over[k]?.[e] ?? 0} unit="mm" />
                  </td>
                  <td className="n">
                    <Num
                      value={want.least}
                      unit="mm"
                      why={{
                        title: `Over at ${e === 0 ? '−' : '+'}${a}`,
                        source: `${want.why} (${sourceLine(want.source)})`,
                      }}
                    />
                  </td>
                </tr>
              ) : null;
            }),
          )}
        </tbody>
      </Table>
    </Section>
  );
}

/** The saw, squaring, and what goes back. */
function Before({ l }: { l: Laying }) {
  const { units } = useUnits();
  if (l.cuts.length + l.squaring.length === 0) return null;
  return (
    <Section aria-label="Before the first side">
      <h2>Before the first side</h2>
      <Rows>
        {l.cuts.map((c) => (
          <li key={c.what}>
            Saw {c.what} <Quiet>{say(c.minutes, '', units, 1)} min</Quiet>
          </li>
        ))}
        {l.squaring.map((s) => (
          <li key={s.face} data-square={s.face}>
            Square {s.face}: {s.how}; skim {say(s.skim, 'mm', units)} over {say(s.width, 'mm', units)} in{' '}
            {s.passes === 1 ? 'one pass' : `${s.passes} passes (wider than the face mill: mind the step)`}{' '}
            <Quiet>{say(s.minutes, '', units, 1)} min</Quiet>
          </li>
        ))}
        {l.remnants.map((r) => (
          <li key={r.name + formWords(r.shape, units)}>
            Back to the rack: {r.name}, {formWords(r.shape, units)}
          </li>
        ))}
      </Rows>
    </Section>
  );
}

interface Standing {
  c: Candidate;
  trial: Laying | null;
  there: boolean;
  taken: boolean;
}

function Stands({ c, trial, there, taken }: Standing) {
  const { id, shop } = useStock();
  const { units } = useUnits();
  const client = useQueryClient();
  const l = trial ?? c.laying;
  const take = async () => {
    try {
      const rack = await api.post<RackSheet>('/api/rack', {
        act: 'take',
        tag: c.piece.name,
        job: id,
        remnants: c.laying.remnants,
      });
      client.setQueryData(rackQuery.queryKey, rack);
      tell('done', `Taken from the rack: ${c.piece.name}. Undo it under Shop`);
    } catch (e) {
      refuse(e);
    }
  };
  const flat = c.piece.shape.form === 'plate';
  return (
    <>
      <p>
        {formWords(c.piece.shape, units)}, {skinWords(c.piece.skin)}
        {c.piece.note ? <Quiet> · {c.piece.note}</Quiet> : null}
      </p>
      <div style={{ marginTop: 4 }}>
        <LayDrawing
          drawing={l.drawing}
          width={500}
          most={flat ? 170 : 130}
          views={flat ? [0, 2] : [0, 1, 2]}
          label={`${c.piece.name} to scale with the blank and the part in it`}
        />
        <Quiet>Blue: the part. Hatched: becomes chips. Grey: stays in the rack.</Quiet>
      </div>
      <Figures>
        <div>
          <dt>blank</dt>
          <dd>{saySize(l.blank, units)}</dd>
        </div>
        <div>
          <dt>weighs</dt>
          <dd>
            <Num
              value={l.mass}
              unit="kg"
              digits={3}
              why={{
                title: 'Weight of the blank',
                terms: [{ symbol: 'V', meaning: 'blank', value: l.blank_mm3, unit: 'mm³' }],
                source: `Volume times density. ${shop.materials.find((m) => m.id === c.piece.material)?.source ?? ''}`,
              }}
            />
          </dd>
        </div>
        <div>
          <dt>chips and scrap</dt>
          <dd>{Math.round(l.waste_share * 100)} %</dd>
        </div>
        <div>
          <dt>{l.cost === null ? 'work' : 'costs'}</dt>
          <dd>
            {l.cost === null ? null : `${l.cost.toFixed(2)}, `}
            <Num
              value={l.minutes}
              unit="min"
              digits={1}
              label="Work it costs"
              why={{ title: 'Work it costs', terms: l.terms, source: l.source }}
            />
          </dd>
        </div>
      </Figures>
      {l.serves.length > 0 ? <p>Faces that stay: {l.serves.join(', ')}.</p> : null}
      <Line style={{ marginTop: 8 }}>
        {taken ? (
          <Stamp kind="decided" words="taken from the rack" />
        ) : there ? (
          <Button $small onPress={() => void take()}>
            Take it from the rack
          </Button>
        ) : (
          <Stamp kind="stale" words="no longer in the rack" />
        )}
        {there && !taken ? (
          <Quiet>It leaves the rack; {l.remnants.length > 0 ? 'the rest returns' : 'nothing returns'}.</Quiet>
        ) : null}
      </Line>
      {l.findings.length > 0 ? (
        <Rows style={{ marginTop: 8 }}>
          {l.findings.map((f) => (
            <li key={f.id}>
              <FindingRow finding={f} />
            </li>
          ))}
        </Rows>
      ) : null}
    </>
  );
}

/** What it is cut from: material, piece, how the part lies in it. */
export function StockTicket() {
  const { sheet, shop, state, decide, id } = useStock();
  const { units } = useUnits();
  const s = sheet?.stock;
  const bench = useStockBench(id, state, true);
  const [trial, setTrial] = useState<Laying | null>(null);
  const b = useInWords(units, bench.data);
  const decided = state.settled.stock !== null || state.settled.material !== null;
  const stands = b?.stands ?? null;
  return (
    <>
      <Head>
        <h1>
          {stands ? stands.piece.name : s ? (s.bar ? capital(s.bar) : `${saySize(s.size, units)} block`) : 'Stock'}
        </h1>
        {decided || stands || s ? (
          <Stamp kind={decided ? 'decided' : 'proposed'} words={decided ? 'decided' : 'proposed'} />
        ) : null}
      </Head>
      <Line>
        <Quiet>Material</Quiet>
        <Choice
          label="Material"
          value={state.settled.material ?? b?.material ?? s?.material ?? ''}
          options={shop.materials.filter((m) => !m.substitute).map((m) => ({ id: m.id, words: m.name }))}
          onChange={(m) => decide({ about: 'material', id: m })}
        />
        {state.settled.material ? (
          <Button $small onPress={() => decide({ about: 'material', id: null })}>
            Material as proposed
          </Button>
        ) : null}
        {state.settled.stock ? (
          <Button $small onPress={() => decide({ about: 'stock', choice: null })}>
            Stock as proposed
          </Button>
        ) : null}
      </Line>
      {b && stands ? <Stands c={stands} trial={trial} there={b.there} taken={b.taken} /> : null}
      {bench.error ? <p role="alert">{bench.error.message}</p> : null}
      {b && stands ? <LayForm bench={b} stands={stands} onTry={setTrial} /> : null}
      {b ? <Rack bench={b} /> : bench.isPending ? <Quiet>Looking through the rack …</Quiet> : null}
      {stands ? (
        <>
          <Before l={trial ?? stands.laying} />
          <Over l={trial ?? stands.laying} />
        </>
      ) : null}
      {sheet ? <Sizes sheet={sheet} /> : null}
      {stands || !s ? null : (
        <Section aria-label="Why these sizes">
          <h2>Why these sizes</h2>
          <Table>
            <tbody>
              {s.terms.map((t) => (
                <tr key={t.symbol + t.meaning}>
                  <td>{t.meaning}</td>
                  <td className="n">
                    <Num value={t.value} unit={t.unit} />
                  </td>
                </tr>
              ))}
              <tr>
                <td>{s.bar ? 'Bar weighs' : 'Block weighs'}</td>
                <td className="n">
                  <Num value={s.mass} unit="kg" digits={2} why={grounds('Weight of the block', s.mass_why)} />
                </td>
              </tr>
              <tr>
                <td>of it becomes chips</td>
                <td className="n">{Math.round(s.waste * 100)} %</td>
              </tr>
            </tbody>
          </Table>
        </Section>
      )}
      <Forms />
      <Rehearsal />
      {s ? (
        <p style={{ marginTop: 12 }}>
          <Quiet>
            {s.material_name}: {sourceLine(s.material_source)}
          </Quiet>
        </p>
      ) : null}
      {s && s.findings.length > 0 ? (
        <Section aria-label="Findings">
          <Rows>
            {s.findings.map((f) => (
              <li key={f.id}>
                <FindingRow finding={f} />
              </li>
            ))}
          </Rows>
        </Section>
      ) : null}
    </>
  );
}
