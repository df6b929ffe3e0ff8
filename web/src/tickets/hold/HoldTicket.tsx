import styled, { useTheme } from 'styled-components';
import type { Order } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Button, Head, Line, Quiet, Section, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';

const Bars = styled.svg`
  display: block;
  max-width: 100%;
  margin-top: 4px;
`;

/** As the core names them, with the minus sign. */
const ups = ['+X', '−X', '+Y', '−Y', '+Z', '−Z'];

const asOrder = (up: string): Order => ({ Up: { axis: 'XYZ'.indexOf(up[1] ?? 'Z'), positive: up.startsWith('+') } });

/** Force that the vise holds against the largest cutting force. */
function Balance({ holds, worst }: { holds: number; worst: number }) {
  const t = useTheme();
  const most = Math.max(holds, worst) * 1.05;
  const w = (v: number) => (v / most) * 500;
  return (
    <Bars
      viewBox="0 0 500 28"
      width="500"
      role="img"
      aria-label={`The vise holds ${Math.round(holds)} N, cutting pulls with ${Math.round(worst)} N at most`}
    >
      <rect x="0" y="2" width={w(holds)} height="10" fill={t.blue} />
      <rect x="0" y="16" width={Math.max(2, w(worst))} height="10" fill={t.brass} />
    </Bars>
  );
}

/** Which way is up first, and how each side is held and touched off. */
export function HoldTicket() {
  const { sheet, shop, side, setSide, decide } = useJob();
  const { units } = useUnits();
  const h = sheet.hold;
  const s = sheet.sides[side];
  return (
    <>
      <Head>
        <h1>
          {sheet.sides.length} sides, {h.up} up first
        </h1>
        <Stamp kind={h.decided ? 'decided' : 'proposed'} words={h.decided ? 'decided' : 'proposed'} />
      </Head>
      <Line>
        <Quiet>Up first</Quiet>
        <Choice
          label="Up first"
          value={h.up}
          options={ups.map((id) => ({ id, words: `${id} up, then ${id.startsWith('+') ? '−' : '+'}${id[1]}` }))}
          onChange={(up) => decide({ about: 'order', choice: asOrder(up) })}
        />
        {h.decided ? (
          <Button $small onPress={() => decide({ about: 'order', choice: null })}>
            Back to the proposal
          </Button>
        ) : null}
      </Line>
      <Section aria-label="Why this way">
        <h2>Why this way</h2>
        <ol style={{ margin: 0, paddingLeft: 20, listStyle: 'decimal' }}>
          {h.compared.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ol>
      </Section>
      <Section aria-label="Force">
        <h2>{shop.vise.name}</h2>
        <Balance holds={h.holds_n} worst={h.worst_n} />
        <p>
          Blue: friction holds <Num value={h.holds_n} unit="N" digits={0} why={grounds('Holding force', h.holds_why)} />
          . Brass: cutting pulls{' '}
          <Num value={h.worst_n} unit="N" digits={0} why={grounds('Largest cutting force', h.worst_why)} /> at most,{' '}
          {(h.holds_n / Math.max(1, h.worst_n)).toFixed(1)} times less.
        </p>
      </Section>
      <Section aria-label="Sides">
        <Line role="group" aria-label="Side shown">
          {sheet.sides.map((x, k) => (
            <Button key={x.name} $small $main={k === side} aria-pressed={k === side} onPress={() => setSide(k)}>
              {x.name === 'side 1' ? 'Side 1' : 'Side 2'}
            </Button>
          ))}
          {s ? <Quiet>grips {s.grip.on}</Quiet> : null}
        </Line>
        {s ? (
          <>
            <Table style={{ marginTop: 6 }}>
              <tbody>
                <tr>
                  <td>Jaw that grips</td>
                  <td className="n">
                    <Num value={s.grip.height} unit="mm" why={{ title: 'Grip', terms: s.grip.terms }} />
                  </td>
                  <td>
                    along <Num value={s.grip.length} unit="mm" /> of {say(shop.vise.jaw_width_mm, 'mm', units)} jaw
                  </td>
                </tr>
                <tr>
                  <td>Opening</td>
                  <td className="n">
                    <Num value={s.grip.opening} unit="mm" />
                  </td>
                  <td>
                    of <Num value={shop.vise.opening_mm} unit="mm" />
                  </td>
                </tr>
                <tr>
                  <td>Parallels</td>
                  <td className="n">{s.grip.parallels > 0 ? <Num value={s.grip.parallels} unit="mm" /> : 'none'}</td>
                  <td>under it</td>
                </tr>
                <tr>
                  <td>Above the jaws</td>
                  <td className="n">
                    <Num value={s.grip.above} unit="mm" />
                  </td>
                  <td />
                </tr>
              </tbody>
            </Table>
            <h2 style={{ marginTop: 14 }}>Zero</h2>
            <Table>
              <tbody>
                {s.zero.map((z) => (
                  <tr key={z.axis}>
                    <td>
                      <b>{z.axis}</b>
                    </td>
                    <td>{z.touches}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </>
        ) : null}
      </Section>
    </>
  );
}
