import { useQuery } from '@tanstack/react-query';
import styled from 'styled-components';
import { sizesQuery } from '../../api';
import type { SizeSeries } from '../../api/types';
import { useJob } from '../../frame/job';
import { useInWords, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Quiet, Section, Table } from '../../parts/basics';

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

const [W, H] = [170, 44];

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
          Pieces from left to right, the band is what is allowed. The mean is corrected, the spread is not: that comes
          from play, heat and chips. A correction is told only where the mean is off by more than twice its own error.
        </Quiet>
      </p>
      <Table>
        <thead>
          <tr>
            <th>Size</th>
            <th>Pieces</th>
            <th className="n">Mean</th>
            <th className="n">Spread</th>
            <th>What to do</th>
          </tr>
        </thead>
        <tbody>
          {told.map((t) => {
            const { mean, spread, correction, outside } = t.series;
            return (
              <tr key={`${t.setup} ${t.label} ${t.target}`} data-size={t.label}>
                <td>
                  {t.label} <Quiet>{t.setup}</Quiet>
                </td>
                <td>
                  <Dots of={t} words={`${t.label}: ${t.pieces.map((p) => n(p.value, t.unit)).join(', ')}`} />
                </td>
                <td className="n">{n(mean, t.unit)}</td>
                <td className="n">{spread === null ? '–' : n(spread, t.unit)}</td>
                <td>
                  {correction === null
                    ? t.pieces.length < 3
                      ? 'Nothing yet'
                      : 'Nothing: within its own spread'
                    : t.pieces.length < 3
                      ? `${n(correction, t.unit)} from its middle; one piece is no series`
                      : `Correct by ${n(correction, t.unit)}`}
                  {outside.length > 0
                    ? `. Piece ${outside.map((k) => t.pieces[k]?.piece).join(', ')} fell out of the others: look for its own cause`
                    : ''}
                </td>
              </tr>
            );
          })}
        </tbody>
      </Table>
    </Section>
  );
}
