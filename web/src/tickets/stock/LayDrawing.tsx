import styled, { useTheme } from 'styled-components';
import type { Drawing } from '../../api/types';

type Loops = Drawing['piece'][0];

const Svg = styled.svg`
  display: block;
  max-width: 100%;
`;

const path = (loops: Loops, x: (v: number) => number, y: (v: number) => number) =>
  loops.map((l) => `M${l.map((p) => `${x(p[0]).toFixed(2)} ${y(p[1]).toFixed(2)}`).join('L')}Z`).join(' ');

interface Span {
  lo: [number, number];
  hi: [number, number];
}

const span = (loops: Loops): Span => {
  const xs = loops.flat().map((p) => p[0]);
  const ys = loops.flat().map((p) => p[1]);
  return { lo: [Math.min(...xs), Math.min(...ys)], hi: [Math.max(...xs), Math.max(...ys)] };
};

const around = (spans: Span[]): Span => ({
  lo: [Math.min(...spans.map((s) => s.lo[0])), Math.min(...spans.map((s) => s.lo[1]))],
  hi: [Math.max(...spans.map((s) => s.hi[0])), Math.max(...spans.map((s) => s.hi[1]))],
});

const NAMES = ['from above', 'from the front', 'from its end'] as const;

interface Props {
  drawing: Drawing;
  width: number;
  /** Height at most. */
  most: number;
  /** Which views: 0 from above, 1 from the front, 2 from the end. */
  views: readonly (0 | 1 | 2)[];
  label: string;
  /** A small one has no words. */
  small?: boolean;
}

/** Piece, blank and part to one scale. A piece much longer than its blank is broken off with a wavy end, so that the part stays large. */
export function LayDrawing({ drawing: d, width, most, views, label, small }: Props) {
  const t = useTheme();
  const cell = (k: 0 | 1 | 2) => {
    const all = [d.piece[k], d.blank[k], d.part[k]].filter((l) => l.length > 0).map(span);
    const whole = around(all);
    // Only along the piece is it cut short.
    const need = around([d.blank[k], d.part[k]].filter((l) => l.length > 0).map(span));
    const long = whole.hi[0] - whole.lo[0];
    const wanted = (need.hi[0] - need.lo[0]) * 1.5 + (whole.hi[1] - whole.lo[1]) * 0.4;
    const cut = k < 2 && long > wanted * 1.15;
    const from = cut ? Math.max(whole.lo[0], need.lo[0] - wanted * 0.2) : whole.lo[0];
    const to = cut ? Math.min(whole.hi[0], from + wanted) : whole.hi[0];
    return {
      k,
      from,
      to,
      lo: whole.lo[1],
      hi: whole.hi[1],
      cutLow: cut && from > whole.lo[0] + 1e-6,
      cutHigh: cut && to < whole.hi[0] - 1e-6,
    };
  };
  const cells = views.map(cell);
  const gap = small ? 10 : 26;
  const head = small ? 2 : 18;
  const wide = cells.reduce((a, c) => a + c.to - c.from, 0);
  const high = Math.max(...cells.map((c) => c.hi - c.lo));
  // The last view has room for its words.
  const words = small ? 0 : 50;
  const scale = Math.min((width - words - gap * (cells.length - 1) - 4) / wide, (most - head - 4) / high);
  const height = Math.ceil(high * scale + head + 5);
  let left = 2;
  const id = `h${views.join('')}${small ? 's' : ''}${Math.round(scale * 1000)}`;
  return (
    <Svg viewBox={`0 0 ${width} ${height}`} width={width} height={height} role="img" aria-label={label}>
      <defs>
        <pattern id={id} width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="7" stroke={t.brass} strokeWidth="1.3" />
        </pattern>
      </defs>
      {cells.map((c) => {
        const x0 = left;
        left += (c.to - c.from) * scale + gap;
        const x = (v: number) => x0 + (Math.min(Math.max(v, c.from), c.to) - c.from) * scale;
        const y = (v: number) => height - 2 - (v - c.lo) * scale;
        const [top, bottom] = [y(c.hi), y(c.lo)];
        const wave = (at: number) => {
          const h = (bottom - top) / 4;
          return `M${at} ${top} c4 ${h * 0.5} -4 ${h * 0.5} 0 ${h} c4 ${h * 0.5} -4 ${h * 0.5} 0 ${h} c4 ${h * 0.5} -4 ${h * 0.5} 0 ${h} c4 ${h * 0.5} -4 ${h * 0.5} 0 ${h}`;
        };
        return (
          <g key={c.k}>
            {small ? null : (
              <text x={x0} y={top - 5} fontSize="13" fill={t.quiet}>
                {NAMES[c.k]}
              </text>
            )}
            <path d={path(d.piece[c.k], x, y)} fill={t.sunk} stroke={t.edge} strokeWidth="1" fillRule="evenodd" />
            <path
              d={path(d.blank[c.k], x, y)}
              fill={`url(#${id})`}
              stroke={t.brassInk}
              strokeWidth="1.2"
              fillRule="evenodd"
            />
            <path
              d={path(d.part[c.k], x, y)}
              fill={t.blueWash}
              stroke={t.blue}
              strokeWidth={small ? 1.1 : 1.5}
              fillRule="evenodd"
            />
            {c.k > 0
              ? d.joints.map((z) => (
                  <line
                    key={z}
                    x1={x(c.from)}
                    x2={x(c.to)}
                    y1={y(z)}
                    y2={y(z)}
                    stroke={t.ink}
                    strokeWidth="1"
                    strokeDasharray="6 3"
                  />
                ))
              : null}
            {[c.cutLow ? x(c.from) : null, c.cutHigh ? x(c.to) : null].map((at, i) =>
              at === null ? null : (
                <path key={i} d={wave(at)} fill="none" stroke={t.card} strokeWidth={small ? 3 : 4} />
              ),
            )}
          </g>
        );
      })}
    </Svg>
  );
}
