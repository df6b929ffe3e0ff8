import styled, { useTheme } from 'styled-components';
import type { Datum, HoldLimit, Order } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { capital, say, type Units } from '../../model/units';
import { Button, Head, Line, Quiet, Section, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { Crossings } from './Crossings';
import { Made } from './Made';
import { Offers } from './Offers';
import { Ways } from './Ways';

const Bars = styled.svg`
  display: block;
  min-width: 90px;
  max-width: 100%;
  margin-top: 4px;
`;

/** As the core names them, with the minus sign. */
const ups = ['+X', '−X', '+Y', '−Y', '+Z', '−Z'];

const asOrder = (up: string): Order => ({ Up: { axis: 'XYZ'.indexOf(up[1] ?? 'Z'), positive: up.startsWith('+') } });

/** What a limit is called where it is shown. */
const limitWords: Record<string, string> = {
  together: 'Gives way at',
  slip: 'Slips at',
  tilt: 'Tilts at',
  twist: 'Twists at',
};

/** What is held against what is asked, one bar over the other. */
function Balance({ limit }: { limit: HoldLimit }) {
  const t = useTheme();
  const most = Math.max(limit.held, limit.asked) * 1.05;
  const w = (v: number) => (v / most) * 120;
  return (
    <Bars
      viewBox="0 0 120 14"
      width="120"
      height="14"
      role="img"
      aria-label={`Held ${Math.round(limit.held)} ${limit.unit}, asked ${Math.round(limit.asked)} ${limit.unit}`}
    >
      <rect x="0" y="0" width={w(limit.held)} height="6" fill={t.blue} />
      <rect x="0" y="8" width={Math.max(2, w(limit.asked))} height="6" fill={t.brass} />
    </Bars>
  );
}

/** What the zero of an axis may be off by. */
const errorOf = (z: Datum, units: Units) => ({
  title: `${z.axis}0 may be off by`,
  terms: z.error,
  source: `The root of the sum of their squares; the worst case, their sum, is ${say(z.worst_mm, 'mm', units, 3)}`,
});

/** Which way is up first, and how each side is held and touched off. */
export function HoldTicket() {
  const { sheet, side, setSide, decide } = useJob();
  const { units } = useUnits();
  const h = sheet.hold;
  const s = sheet.sides[side];
  const decided = h.decided || h.scheme_decided;
  return (
    <>
      <Head>
        <h1>{sheet.sides.length === 1 ? `1 side, ${h.up} up` : `${sheet.sides.length} sides, ${h.up} up first`}</h1>
        <Stamp kind={decided ? 'decided' : 'proposed'} words={decided ? 'decided' : 'proposed'} />
      </Head>
      <Line>
        <Quiet>Up first</Quiet>
        <Choice
          label="Up first"
          value={h.up}
          options={ups.map((id) => ({ id, words: `${id} up, then ${id.startsWith('+') ? '−' : '+'}${id[1]}` }))}
          onChange={(up) => {
            // A whole way that was chosen says which end is up; the last word stands.
            if (h.scheme_decided) decide({ about: 'scheme', id: null });
            decide({ about: 'order', choice: asOrder(up) });
          }}
        />
        {h.decided ? (
          <Button $small onPress={() => decide({ about: 'order', choice: null })}>
            Back to the proposal
          </Button>
        ) : null}
      </Line>
      <Ways />
      <Section aria-label="Sides">
        <h2>Setup by setup</h2>
        <Line role="group" aria-label="Side shown">
          {sheet.sides.map((x, k) => (
            <Button key={x.name} $small $main={k === side} aria-pressed={k === side} onPress={() => setSide(k)}>
              {capital(x.name)}
            </Button>
          ))}
          {s ? <Quiet>by its {s.held_on}</Quiet> : null}
        </Line>
        {s ? <Offers setup={s.name} /> : null}
        {sheet.made.map((m, k) => (m.setup === s?.name ? <Made key={m.name} made={m} number={k} /> : null))}
        {s ? (
          <>
            <Table style={{ marginTop: 6 }}>
              <tbody>
                {s.hold.map((f) => (
                  <tr key={f.label}>
                    <td>{f.label}</td>
                    <td className="n">
                      {f.value === null ? (
                        'none'
                      ) : (
                        <Num
                          value={f.value}
                          unit={f.unit}
                          {...(f.unit === 'kN' ? { digits: 1 } : {})}
                          {...(f.terms.length > 0 ? { why: { title: f.label, terms: f.terms } } : {})}
                        />
                      )}
                    </td>
                    <td>{f.remark}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
            <h2 style={{ marginTop: 14 }}>What it holds</h2>
            <Quiet>
              Blue is held, brass is asked at the highest moment of a revolution; twice is wanted. The first line is
              everything at once, at the worst place and in the worst direction; the others are single sums.
            </Quiet>
            <Table>
              <tbody>
                {s.limits.map((l) => (
                  <tr key={l.name}>
                    <td style={{ whiteSpace: 'nowrap' }}>{limitWords[l.name] ?? l.name}</td>
                    <td className="n">
                      <Num value={l.held} unit={l.unit} digits={0} why={grounds('What it holds', l.why)} />
                    </td>
                    <td>
                      <Balance limit={l} />
                    </td>
                    <td>
                      <b>{l.factor < 100 ? l.factor.toFixed(1) : 'over 100'} ×</b> what "{l.by}" asks
                      {l.place ? <Quiet>, {l.place}</Quiet> : null}
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
            <h2 style={{ marginTop: 14 }}>Zero</h2>
            <Table>
              <tbody>
                {s.datum.map((z) => (
                  <tr key={z.axis}>
                    <td>
                      <b>{z.axis}</b>
                    </td>
                    <td>{z.touches}</td>
                    <td className="n">
                      ± <Num value={z.likely_mm} unit="mm" digits={3} why={errorOf(z, units)} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </>
        ) : null}
      </Section>
      <Crossings />
      <Section aria-label="Why this way">
        <h2>Why this way</h2>
        <ol style={{ margin: 0, paddingLeft: 20, listStyle: 'decimal' }}>
          {h.compared.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ol>
      </Section>
    </>
  );
}
