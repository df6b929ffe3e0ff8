import styled, { useTheme } from 'styled-components';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say, saySize } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Field } from '../../parts/Field';
import { FindingRow } from '../../parts/FindingRow';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';

const Fig = styled.figure`
  margin: 4px 0 0;
  figcaption {
    color: ${(p) => p.theme.quiet};
    font-size: 14px;
  }
`;

const axes = ['X', 'Y', 'Z'] as const;

/** Block and part from the front, to scale, with what is over on each end. */
function Drawing() {
  const { sheet } = useJob();
  const t = useTheme();
  const { units } = useUnits();
  const s = sheet.stock.place;
  const p = sheet.part.place;
  const [w, h] = [s.max_mm[0] - s.min_mm[0], s.max_mm[2] - s.min_mm[2]];
  const k = Math.min(330 / w, 120 / h);
  const x = (v: number) => 70 + (v - s.min_mm[0]) * k;
  const y = (v: number) => 20 + (s.max_mm[2] - v) * k;
  const [lo, hi] = sheet.stock.over[0];
  const [below, above] = sheet.stock.over[2];
  const n = (v: number) => say(v, 'mm', units).replace(/ .*/, '');
  return (
    <Fig>
      <svg
        viewBox={`0 0 490 ${44 + h * k}`}
        width="490"
        style={{ maxWidth: '100%' }}
        role="img"
        aria-label="Block and part from the front, to scale"
      >
        <defs>
          <pattern id="over" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="7" stroke={t.brass} strokeWidth="1.4" />
          </pattern>
        </defs>
        <rect
          x={x(s.min_mm[0])}
          y={y(s.max_mm[2])}
          width={w * k}
          height={h * k}
          fill="url(#over)"
          stroke={t.brassInk}
        />
        <rect
          x={x(p.min_mm[0])}
          y={y(p.max_mm[2])}
          width={(p.max_mm[0] - p.min_mm[0]) * k}
          height={(p.max_mm[2] - p.min_mm[2]) * k}
          fill={t.blueWash}
          stroke={t.blue}
          strokeWidth="1.5"
        />
        <g fill={t.ink} fontSize="14">
          <text x={x(s.min_mm[0]) - 6} y={y((p.min_mm[2] + p.max_mm[2]) / 2) + 5} textAnchor="end">
            {n(lo)}
          </text>
          <text x={x(s.max_mm[0]) + 6} y={y((p.min_mm[2] + p.max_mm[2]) / 2) + 5}>
            {n(hi)}
          </text>
          <text x={x((s.min_mm[0] + s.max_mm[0]) / 2)} y={14} textAnchor="middle">
            {n(above)} over
          </text>
          <text x={x((s.min_mm[0] + s.max_mm[0]) / 2)} y={38 + h * k} textAnchor="middle">
            {n(below)} below
          </text>
        </g>
      </svg>
      <figcaption>From the front, along X and Z ({units}). Hatched: becomes chips.</figcaption>
    </Fig>
  );
}

/** What it is cut from: material and block. */
export function StockTicket() {
  const { sheet, shop, state, decide } = useJob();
  const { units } = useUnits();
  const s = sheet.stock;
  const size = (k: number, v: number | null) => {
    if (v === null) return decide({ about: 'stock', choice: null });
    const sizes: [number, number, number] = [...s.size];
    sizes[k] = v;
    decide({ about: 'stock', choice: { Sizes: sizes } });
  };
  return (
    <>
      <Head>
        <h1>{saySize(s.size, units)} block</h1>
        <Stamp
          kind={s.size_decided || s.material_decided ? 'decided' : 'proposed'}
          words={s.size_decided || s.material_decided ? 'decided' : 'proposed'}
        />
      </Head>
      <Line>
        <Quiet>Material</Quiet>
        <Choice
          label="Material"
          value={s.material}
          options={shop.materials.map((m) => ({ id: m.id, words: m.name }))}
          onChange={(id) => decide({ about: 'material', id })}
        />
        {state.settled.material ? (
          <Button $small onPress={() => decide({ about: 'material', id: null })}>
            Back to the proposal
          </Button>
        ) : null}
      </Line>
      <p>
        <Quiet>{s.material_source}</Quiet>
      </p>
      <Drawing />
      <Section aria-label="Size of the block">
        <h2>Size, sawn</h2>
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
        {s.size_decided ? (
          <Line style={{ marginTop: 8 }}>
            <Button $small onPress={() => decide({ about: 'stock', choice: null })}>
              Back to the proposed size
            </Button>
          </Line>
        ) : null}
      </Section>
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
              <td>Block weighs</td>
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
      {s.findings.length > 0 ? (
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
