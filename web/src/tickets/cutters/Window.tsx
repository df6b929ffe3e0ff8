import { useRef, useState, type PointerEvent } from 'react';
import styled, { useTheme } from 'styled-components';
import type { Window } from '../../api/types';
import { useUnits } from '../../frame/settings';
import { say, show } from '../../model/units';
import { sourceLine } from '../../parts/Sources';
import { Num } from '../../parts/Number';
import { labels, lower, nice, upper } from './window';

const Fig = styled.figure`
  margin: 0;
  svg {
    display: block;
    width: 100%;
    touch-action: none;
    margin-top: 2px;
  }
  text {
    font-size: 13.5px;
  }
  .halo {
    paint-order: stroke;
    stroke: ${(p) => p.theme.card};
    stroke-width: 4px;
    stroke-linejoin: round;
  }
  .ring {
    cursor: grab;
  }
  figcaption {
    display: flex;
    justify-content: space-between;
    gap: 12px;
    white-space: nowrap;
    overflow: hidden;
  }
`;

const W = 700;
const H = 262;
const [left, right, top, bottom] = [52, 10, 8, 38];
const dashes = ['', '7 4', '2 3', '9 3 2 3', '4 4', '1 4'];

interface Props {
  window: Window;
  ae: number;
  fz: number;
  /** "T2, ". */
  title: string;
  rpm: number;
  ap: number;
  /** The point was dragged to a place, or moved by keys. */
  onMove: (ae: number, fz: number) => void;
}

/** Feed per tooth against radial width: the region between the limits, and the point that was chosen in it. */
export function WindowChart({ window: w, ae, fz, title, rpm, ap, onMove }: Props) {
  const t = useTheme();
  const { units } = useUnits();
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<[number, number] | null>(null);
  const [x, y] = held ?? [ae, fz];
  const widest = w.ae.at(-1) ?? 1;
  const hi = w.ae.map((_, k) => upper(w, k));
  const most = Math.max(fz * 1.5, Math.min(fz * 3, Math.max(...hi) * 1.2));
  const px = (v: number) => left + (v / widest) * (W - left - right);
  const py = (v: number) => H - bottom - (Math.min(v, most * 3) / most) * (H - top - bottom);
  const line = (fz: readonly number[]) =>
    w.ae.map((a, k) => `${k ? 'L' : 'M'}${px(a).toFixed(1)},${py(fz[k] ?? 0).toFixed(1)}`).join('');
  const region = `${line(hi)}${[...w.ae.keys()]
    .reverse()
    .map((k) => `L${px(w.ae[k] ?? 0).toFixed(1)},${py(Math.min(lower(w, k), hi[k] ?? 0)).toFixed(1)}`)
    .join('')}Z`;
  const ink = (k: number, up: boolean) => (up ? (k % 2 ? t.brassInk : t.ink) : t.amber);
  const at = (e: PointerEvent): [number, number] => {
    const r = svg.current?.getBoundingClientRect();
    if (!r) return [x, y];
    const sx = ((e.clientX - r.left) / r.width) * W;
    const sy = ((e.clientY - r.top) / r.height) * H;
    return within(((sx - left) / (W - left - right)) * widest, ((H - bottom - sy) / (H - top - bottom)) * most);
  };
  const within = (a: number, f: number): [number, number] => [
    Math.min(widest, Math.max(widest / 100, a)),
    Math.min(most, Math.max(most / 200, f)),
  ];
  const keys: Record<string, [number, number]> = {
    ArrowLeft: [-0.01, 0],
    ArrowRight: [0.01, 0],
    ArrowUp: [0, 0.01],
    ArrowDown: [0, -0.01],
  };
  const unit = units === 'mm' ? 1 : 25.4;
  const marks = (top: number) => nice(top / unit).map((v) => v * unit);
  const said = labels(
    w.curves.map((c) => w.ae.map((a, k) => [px(a), py(c.fz[k] ?? 0)] as const)),
    { left, right: W - right, top, bottom: H - bottom },
  );
  return (
    <Fig>
      <figcaption>
        <span>
          <b>Operating window</b> {title}
          {say(rpm, '1/min', units, 0)}, {say(ap, 'mm', units)} deep
        </span>
        {held ? (
          <b aria-live="polite">
            {say(x, 'mm', units)} wide, {say(y, 'mm', units, 3)} per tooth: let go, or Enter
          </b>
        ) : (
          <span>
            {w.curves.length} limits with{' '}
            <Num
              value={w.curves.length}
              unit=""
              digits={0}
              words="their sources"
              label="Limits"
              why={{
                title: 'The limits',
                terms: [],
                source: w.curves
                  .map((c) => `${c.name} (${c.upper ? 'at most' : 'at least'}): ${sourceLine(c.source)}.`)
                  .join(' '),
              }}
            />
          </span>
        )}
      </figcaption>
      <svg
        ref={svg}
        viewBox={`0 0 ${W} ${H}`}
        role="group"
        aria-label="Operating window: feed per tooth against radial width"
      >
        <defs>
          <clipPath id="plot">
            <rect x={left} y={top} width={W - left - right} height={H - top - bottom} />
          </clipPath>
        </defs>
        <g clipPath="url(#plot)">
          <path d={region} fill={t.blueWash} />
        </g>
        {marks(most).map((v) => (
          <g key={v}>
            <line x1={left} x2={W - right} y1={py(v)} y2={py(v)} stroke={t.rule} />
            <text x={left - 6} y={py(v) + 4} textAnchor="end" fill={t.quiet}>
              {show(v, 'mm', units, 3).text}
            </text>
          </g>
        ))}
        {marks(widest).map((v) => (
          <text key={v} x={px(v)} y={H - bottom + 15} textAnchor="middle" fill={t.quiet}>
            {show(v, 'mm', units, 2).text}
          </text>
        ))}
        <line x1={left} x2={left} y1={top} y2={H - bottom} stroke={t.ink} />
        <line x1={left} x2={W - right} y1={H - bottom} y2={H - bottom} stroke={t.ink} />
        <g clipPath="url(#plot)">
          {w.curves.map((c, k) => (
            <path
              key={c.name}
              d={line(c.fz)}
              fill="none"
              stroke={ink(k, c.upper)}
              strokeWidth="1.7"
              strokeDasharray={dashes[k % dashes.length]}
            />
          ))}
        </g>
        {w.curves.map((c, k) => {
          const l = said[k];
          return l ? (
            <text
              key={c.name}
              className="halo"
              x={l.x}
              y={l.y}
              textAnchor={l.end ? 'end' : 'start'}
              fill={ink(k, c.upper)}
            >
              {c.name}
            </text>
          ) : null;
        })}
        <g stroke={t.blue} strokeDasharray="2 3">
          <line x1={px(x)} x2={px(x)} y1={py(y)} y2={H - bottom} />
          <line x1={left} x2={px(x)} y1={py(y)} y2={py(y)} />
        </g>
        <circle
          className="ring"
          cx={px(x)}
          cy={py(y)}
          r="9"
          fill={t.card}
          fillOpacity="0.5"
          stroke={t.blue}
          strokeWidth="4"
          tabIndex={0}
          role="slider"
          aria-label="Chosen feed per tooth and width"
          aria-valuenow={y}
          aria-valuetext={`${say(y, 'mm', units, 3)} per tooth at ${say(x, 'mm', units)} wide`}
          data-ring
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            setHeld(at(e));
          }}
          onPointerMove={(e) => {
            if (held && e.buttons) setHeld(at(e));
          }}
          onPointerUp={(e) => {
            const p = at(e);
            setHeld(null);
            if (Math.abs(p[0] - ae) > widest / 200 || Math.abs(p[1] - fz) > most / 200) onMove(...p);
          }}
          onKeyDown={(e) => {
            const d = keys[e.key];
            if (d) {
              e.preventDefault();
              e.stopPropagation();
              setHeld(within(x + d[0] * widest, y + d[1] * most));
            }
            if (e.key === 'Enter' && held) {
              setHeld(null);
              onMove(...held);
            }
            if (e.key === 'Escape') setHeld(null);
          }}
          onBlur={() => setHeld(null)}
        />
        <text x={left} y={H - 4} fill={t.quiet}>
          up: feed per tooth, right: radial width ({units === 'mm' ? 'mm' : 'in'}); drag the ring, or use the arrow keys
        </text>
      </svg>
    </Fig>
  );
}
