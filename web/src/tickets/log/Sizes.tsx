import { useQuery } from '@tanstack/react-query';
import styled from 'styled-components';
import { sizesQuery } from '../../api';
import type { SizeSeries } from '../../api/types';
import { useJob } from '../../frame/job';
import { useInWords, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Quiet, Rows, Section } from '../../parts/basics';

const Chart = styled.svg`
  display: block;
  .band {
    fill: ${(p) => p.theme.blueWash};
  }
  .edge {
    stroke: ${(p) => p.theme.ink};
    stroke-width: 1.5;
  }
  .middle {
    stroke: ${(p) => p.theme.edge};
    stroke-dasharray: 3 3;
  }
  circle {
    fill: ${(p) => p.theme.blue};
  }
  circle.out {
    fill: ${(p) => p.theme.red};
  }
`;

const [W, H] = [130, 44];

/** Pieces from left to right, the size upwards; the band is what the drawing takes. */
function Dots({ of, words }: { of: SizeSeries; words: string }) {
  const values = of.pieces.map((p) => p.value);
  const all = [...values, of.target, ...of.limits.filter((l) => l !== null)];
  const [lo, hi] = [Math.min(...all), Math.max(...all)];
  const y = (v: number) => H - 5 - ((v - lo) / (hi - lo || 1)) * (H - 10);
  const x = (k: number) => 8 + (k * (W - 16)) / Math.max(1, values.length - 1);
  const [least, most] = of.limits;
  const [top, bottom] = [most === null ? 0 : y(most), least === null ? H : y(least)];
  return (
    <Chart width={W} height={H} role="img" aria-label={words}>
      <rect className="band" x={0} y={top} width={W} height={Math.max(1, bottom - top)} />
      {of.limits.map((l) => (l === null ? null : <line key={l} className="edge" x1={0} x2={W} y1={y(l)} y2={y(l)} />))}
      <line className="middle" x1={0} x2={W} y1={y(of.target)} y2={y(of.target)} />
      {of.pieces.map((p, k) => {
        const out = (least !== null && p.value < least) || (most !== null && p.value > most);
        return out ? (
          <path key={k} d={`M${x(k) - 4} ${y(p.value) - 4}l8 8m0-8l-8 8`} stroke="currentColor" strokeWidth={2} />
        ) : (
          <circle key={k} cx={x(k)} cy={y(p.value)} r={3.5} />
        );
      })}
    </Chart>
  );
}

const Row = styled.li`
  display: grid;
  grid-template-columns: 1fr 130px 100px;
  gap: 12px;
  align-items: center;
  .n {
    text-align: right;
  }
`;

/** So many pieces make a series. */
const SERIES = 3;

function advice(t: SizeSeries, n: (v: number, unit: string) => string): string {
  const { correction, outside } = t.series;
  const stray = outside.map((k) => t.pieces[k]?.piece).join(', ');
  const of = stray ? `. Piece ${stray} fell out of the others: look for its own cause` : '';
  if (t.pieces.length < SERIES)
    return correction === null ? 'On its middle' : `${n(correction, t.unit)} to its middle; too few for a series`;
  if (correction === null) return `Leave it: within its own spread${of}`;
  return `Make it ${n(Math.abs(correction), t.unit)} ${correction > 0 ? 'larger' : 'smaller'}${of}`;
}

/** What the sizes of the pieces say: mean and spread kept apart, and what to correct. */
export function Sizes() {
  const { id } = useJob();
  const { units } = useUnits();
  const told = useInWords(units, useQuery(sizesQuery(id)).data);
  if (!told || told.length === 0) return null;
  const n = (v: number, unit: string) => say(v, unit, units, 3);
  const most = Math.max(...told.map((t) => t.pieces.length));
  return (
    <Section aria-label="Sizes of the pieces">
      <h2>Sizes of {most === 1 ? 'the piece' : `${most} pieces`}</h2>
      <p>
        <Quiet>
          Pieces from left to right; the band is what is allowed; mean ± spread. The mean is corrected, the spread has
          causes of its own: play, heat, chips. It is told only where the mean is off by more than twice its own error.
        </Quiet>
      </p>
      <Rows>
        {told.map((t) => {
          const { mean, spread } = t.series;
          return (
            <Row key={`${t.setup} ${t.label} ${t.target}`} data-size={t.label}>
              <div>
                {t.label} <Quiet>{t.setup}</Quiet>
                <p>
                  <b>{advice(t, n)}</b>
                </p>
              </div>
              <Dots of={t} words={`${t.label}: ${t.pieces.map((p) => n(p.value, t.unit)).join(', ')}`} />
              <div className="n">
                {n(mean, t.unit)}
                <p>
                  <Quiet>{spread === null ? 'one piece' : `± ${n(spread, t.unit)}`}</Quiet>
                </p>
              </div>
            </Row>
          );
        })}
      </Rows>
    </Section>
  );
}
