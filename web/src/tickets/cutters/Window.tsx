import { useRef, useState, type PointerEvent } from 'react';
import styled, { useTheme } from 'styled-components';
import type { Window } from '../../api/types';
import { useUnits } from '../../frame/settings';
import { say, show } from '../../model/units';
import { Why } from '../../parts/Number';
import { lower, nice, upper } from './window';

const Fig = styled.figure`
  margin: 6px 0 0;
  svg {
    display: block;
    width: 100%;
    touch-action: none;
  }
  text {
    font-size: 13px;
  }
  .ring {
    cursor: grab;
  }
  figcaption {
    font-size: 14px;
    color: ${(p) => p.theme.quiet};
  }
`;

const W = 508;
const H = 264;
const [left, right, top, bottom] = [50, 8, 10, 38];
const dashes = ['', '7 4', '2 3', '9 3 2 3', '4 4', '1 4'];

interface Props {
  window: Window;
  ae: number;
  fz: number;
  /** The point was dragged to a place, or moved by keys. */
  onMove: (ae: number, fz: number) => void;
}

/** Feed per tooth against radial width: the region between the limits, and the point that was chosen in it. */
export function WindowChart({ window: w, ae, fz, onMove }: Props) {
  const t = useTheme();
  const { units } = useUnits();
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<[number, number] | null>(null);
  const [open, setOpen] = useState<string | null>(null);
  const [x, y] = held ?? [ae, fz];
  const widest = w.ae.at(-1) ?? 1;
  const hi = w.ae.map((_, k) => upper(w, k));
  const top_fz = Math.max(fz * 1.6, Math.min(fz * 4, Math.max(...hi) * 1.15));
  const px = (v: number) => left + (v / widest) * (W - left - right);
  const py = (v: number) => H - bottom - (Math.min(v, top_fz) / top_fz) * (H - top - bottom);
  const line = (fz: readonly number[]) =>
    w.ae.map((a, k) => `${k ? 'L' : 'M'}${px(a).toFixed(1)},${py(fz[k] ?? 0).toFixed(1)}`).join('');
  const region = `${line(hi)}${[...w.ae.keys()]
    .reverse()
    .map((k) => `L${px(w.ae[k] ?? 0).toFixed(1)},${py(Math.min(lower(w, k), hi[k] ?? 0)).toFixed(1)}`)
    .join('')}Z`;
  const at = (e: PointerEvent): [number, number] => {
    const r = svg.current?.getBoundingClientRect();
    if (!r) return [x, y];
    const sx = ((e.clientX - r.left) / r.width) * W;
    const sy = ((e.clientY - r.top) / r.height) * H;
    const a = ((sx - left) / (W - left - right)) * widest;
    const f = ((H - bottom - sy) / (H - top - bottom)) * top_fz;
    return [Math.min(widest, Math.max(widest / 100, a)), Math.min(top_fz, Math.max(top_fz / 200, f))];
  };
  const keys: Record<string, [number, number]> = {
    ArrowLeft: [-0.02, 0],
    ArrowRight: [0.02, 0],
    ArrowUp: [0, 0.02],
    ArrowDown: [0, -0.02],
  };
  const chosen = w.curves.find((c) => c.name === open);
  return (
    <Fig>
      <svg
        ref={svg}
        viewBox={`0 0 ${W} ${H}`}
        role="group"
        aria-label="Operating window: feed per tooth against radial width"
      >
        <path d={region} fill={t.blueWash} />
        {nice(top_fz).map((v) => (
          <g key={v}>
            <line x1={left} x2={W - right} y1={py(v)} y2={py(v)} stroke={t.rule} />
            <text x={left - 6} y={py(v) + 4} textAnchor="end" fill={t.quiet}>
              {show(v, 'mm', units, 3).text}
            </text>
          </g>
        ))}
        {nice(widest).map((v) => (
          <text key={v} x={px(v)} y={H - bottom + 16} textAnchor="middle" fill={t.quiet}>
            {show(v, 'mm', units, 2).text}
          </text>
        ))}
        <line x1={left} x2={left} y1={top} y2={H - bottom} stroke={t.ink} />
        <line x1={left} x2={W - right} y1={H - bottom} y2={H - bottom} stroke={t.ink} />
        {w.curves.map((c, k) => (
          <path
            key={c.name}
            d={line(c.fz)}
            fill="none"
            stroke={c.upper ? (k % 2 ? t.brassInk : t.ink) : t.amber}
            strokeWidth={open === c.name ? 3 : 1.6}
            strokeDasharray={dashes[k % dashes.length]}
          />
        ))}
        <line x1={px(x)} x2={px(x)} y1={py(y)} y2={H - bottom} stroke={t.blue} strokeDasharray="2 3" />
        <line x1={left} x2={px(x)} y1={py(y)} y2={py(y)} stroke={t.blue} strokeDasharray="2 3" />
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
          aria-label="Chosen feed per tooth"
          aria-valuenow={y}
          aria-valuetext={`${say(y, 'mm', units, 3)} per tooth at ${say(x, 'mm', units)} wide`}
          data-ring
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            setHeld(at(e));
          }}
          onPointerMove={(e) => held && setHeld(at(e))}
          onPointerUp={(e) => {
            const p = at(e);
            setHeld(null);
            if (Math.abs(p[0] - ae) > widest / 200 || Math.abs(p[1] - fz) > top_fz / 200) onMove(...p);
          }}
          onKeyDown={(e) => {
            const d = keys[e.key];
            if (d) {
              e.preventDefault();
              e.stopPropagation();
              setHeld([
                Math.min(widest, Math.max(widest / 100, x + d[0] * widest)),
                Math.min(top_fz, Math.max(top_fz / 200, y + d[1] * top_fz)),
              ]);
            }
            if (e.key === 'Enter' && held) {
              setHeld(null);
              onMove(...held);
            }
            if (e.key === 'Escape') setHeld(null);
          }}
          onBlur={() => setHeld(null)}
        />
        <text x={(W + left) / 2} y={H - 4} textAnchor="middle" fill={t.quiet}>
          radial width, {units === 'mm' ? 'mm' : 'in'}
        </text>
      </svg>
      <figcaption>
        {held ? (
          <b>
            {say(x, 'mm', units)} wide, {say(y, 'mm', units, 3)} per tooth. Let go, or Enter.
          </b>
        ) : (
          <>
            Ring: {say(ae, 'mm', units)} wide, feed per tooth {say(fz, 'mm', units, 3)} ({units === 'mm' ? 'mm' : 'in'}{' '}
            up the side). Drag it, or use the arrow keys.
          </>
        )}
      </figcaption>
      <ul style={{ display: 'flex', flexWrap: 'wrap', gap: '2px 16px' }}>
        {w.curves.map((c, k) => (
          <li key={c.name}>
            <button
              type="button"
              aria-expanded={open === c.name}
              onClick={() => setOpen(open === c.name ? null : c.name)}
              style={{ border: 0, background: 'none', padding: 0, color: t.ink, cursor: 'pointer' }}
            >
              <svg width="30" height="10" aria-hidden style={{ display: 'inline', width: 30 }}>
                <line
                  x1="0"
                  x2="28"
                  y1="6"
                  y2="6"
                  stroke={c.upper ? (k % 2 ? t.brassInk : t.ink) : t.amber}
                  strokeWidth="1.8"
                  strokeDasharray={dashes[k % dashes.length]}
                />
              </svg>{' '}
              {c.upper ? 'at most' : 'at least'}: {c.name}
            </button>
          </li>
        ))}
      </ul>
      {chosen ? (
        <div style={{ borderLeft: `4px solid ${t.blue}`, padding: '4px 10px', background: t.blueWash }}>
          <Why title={chosen.name} source={chosen.source} />
        </div>
      ) : null}
    </Fig>
  );
}
