import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import styled, { useTheme } from 'styled-components';
import type { Finding, Strip } from '../api/types';
import { atLine, bins, fromTotal, opAt, stepAt, total, toTotal, type Cursor } from '../model/strip';
import { clock, say } from '../model/units';
import { useUnits, useStore, type Store } from './settings';

const Box = styled.div`
  flex: none;
  height: 156px;
  position: relative;
  border-top: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.card};
  user-select: none;
  touch-action: none;
  cursor: ew-resize;
  &:focus-visible {
    outline-offset: -3px;
  }
  canvas {
    position: absolute;
    left: 16px;
    top: 24px;
    width: calc(100% - 32px);
    height: 100px;
  }
  .ops {
    position: absolute;
    left: 16px;
    right: 16px;
    top: 2px;
    height: 20px;
    font-size: 13px;
  }
  .ops span {
    position: absolute;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .needle {
    position: absolute;
    top: 0;
    bottom: 26px;
    width: 2px;
    margin-left: -1px;
    background: ${(p) => p.theme.ink};
    pointer-events: none;
  }
  .flag {
    position: absolute;
    top: 18px;
    transform: translateX(-50%);
    color: ${(p) => p.theme.red};
    font-size: 14px;
    pointer-events: none;
  }
  /* A point of no return: a bar with a barb that points back. */
  .end-of {
    position: absolute;
    top: 98px;
    height: 26px;
    width: 9px;
    margin-left: -9px;
    border-right: 3px solid ${(p) => p.theme.ink};
    border-top: 3px solid ${(p) => p.theme.ink};
  }
  .foot {
    position: absolute;
    left: 16px;
    right: 16px;
    bottom: 4px;
    display: flex;
    gap: 18px;
    font-size: 13.5px;
    white-space: nowrap;
    overflow: hidden;
  }
  .foot .end {
    margin-left: auto;
    color: ${(p) => p.theme.quiet};
  }
  .foot b {
    font-weight: 600;
    min-width: 62px;
  }
  .power {
    color: ${(p) => p.theme.brassInk};
  }
  .bite {
    color: ${(p) => p.theme.blue};
  }
`;

interface Props {
  strip: Strip;
  cursor: Store<Cursor>;
  findings: readonly Finding[];
  /** What the setups are called; else sides by number. */
  names?: readonly string[];
}

/** Do so many letters find room in so many pixels? A name is shown whole or not at all. */
const roomFor = (words: string, width: number) => words.length * 7.2 < width - 4;

/** One strip for the whole job: load, engagement, steps; dragging it moves stock, cutter and line together. */
export function ProofStrip({ strip, cursor, findings, names }: Props) {
  const theme = useTheme();
  const { units } = useUnits();
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const at = useStore(cursor);
  const all = total(strip) || 1;

  useEffect(() => {
    const el = box.current;
    if (!el) return;
    const o = new ResizeObserver(() => setWidth(Math.max(0, el.clientWidth - 32)));
    o.observe(el);
    return () => o.disconnect();
  }, []);

  const columns = useMemo(() => bins(strip, Math.max(1, Math.floor(width / 3))), [strip, width]);
  useEffect(() => {
    const c = canvas.current;
    const g = c?.getContext('2d');
    if (!c || !g || width === 0) return;
    const ratio = window.devicePixelRatio || 1;
    const h = 100;
    c.width = width * ratio;
    c.height = h * ratio;
    g.setTransform(ratio, 0, 0, ratio, 0, 0);
    g.clearRect(0, 0, width, h);
    const base = 74;
    const most = Math.max(strip.usable_kw, ...columns.map((b) => b.power)) * 1.08;
    g.fillStyle = theme.brass;
    columns.forEach((b, k) => {
      const y = (b.power / most) * (base - 6);
      if (y > 0.3) g.fillRect(k * 3, base - y, 2, y);
    });
    g.strokeStyle = theme.rule;
    g.beginPath();
    g.moveTo(0, base + 0.5);
    g.lineTo(width, base + 0.5);
    g.stroke();
    // Usable power.
    g.strokeStyle = theme.red;
    g.setLineDash([6, 4]);
    const limit = base - (strip.usable_kw / most) * (base - 6);
    g.beginPath();
    g.moveTo(0, limit);
    g.lineTo(width, limit);
    g.stroke();
    g.setLineDash([]);
    // Engagement, 0 to 180 degrees.
    g.strokeStyle = theme.blue;
    g.lineWidth = 1.5;
    g.beginPath();
    columns.forEach((b, k) => {
      const y = 99 - (b.engagement / 180) * 22;
      if (k === 0) g.moveTo(0, y);
      else g.lineTo(k * 3 + 1, y);
    });
    g.stroke();
    // Where steps and sides begin.
    g.lineWidth = 1;
    let t = 0;
    strip.setups.forEach((s, k) => {
      s.ops.forEach((o) => {
        const x = Math.round(((t + o.start) / all) * width) + 0.5;
        g.strokeStyle = theme.rule;
        g.beginPath();
        g.moveTo(x, 0);
        g.lineTo(x, h);
        g.stroke();
      });
      if (k > 0) {
        g.strokeStyle = theme.ink;
        const x = Math.round((t / all) * width) + 0.5;
        g.beginPath();
        g.moveTo(x, 0);
        g.lineTo(x, h);
        g.stroke();
      }
      t += s.seconds;
    });
  }, [columns, strip, theme, width, all]);

  const setup = strip.setups[at.setup];
  const op = setup ? opAt(setup, at.at) : undefined;
  const k = setup ? stepAt(setup, at.at) : 0;
  const go = (seconds: number) => cursor.set(fromTotal(strip, Math.min(all, Math.max(0, seconds))));
  const drag = (e: PointerEvent<HTMLDivElement>) => {
    if (e.type === 'pointermove' && e.buttons === 0) return;
    const r = e.currentTarget.getBoundingClientRect();
    if (e.type === 'pointerdown') e.currentTarget.setPointerCapture(e.pointerId);
    go(((e.clientX - r.left - 16) / Math.max(1, r.width - 32)) * all);
  };
  const keys = (e: KeyboardEvent) => {
    const by: Record<string, number> = {
      ArrowRight: 1,
      ArrowLeft: -1,
      PageUp: 30,
      PageDown: -30,
      Home: -1e9,
      End: 1e9,
    };
    const d = by[e.key];
    if (d === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    go(toTotal(strip, at) + (e.shiftKey ? 10 * d : d));
  };

  let start = 0;
  const labels = strip.setups.flatMap((s) => {
    const here = start;
    start += s.seconds;
    return s.ops.map((o) => ({ o, x: ((here + o.start) / all) * width, w: ((o.end - o.start) / all) * width }));
  });
  start = 0;
  const flags = strip.setups.flatMap((s, n) => {
    const here = start;
    start += s.seconds;
    return findings
      .filter((f) => f.line && f.severity !== 'note' && f.setup === `side ${n + 1}`)
      .map((f) => ({ f, x: ((here + atLine(s, f.line ?? 0)) / all) * width }));
  });
  start = 0;
  const ends = strip.setups.flatMap((s) => {
    const here = start;
    start += s.seconds;
    return s.no_return.map((n) => ({ n, x: ((here + n.at) / all) * width }));
  });
  const name = names?.[at.setup] ?? `Side ${at.setup + 1}`;
  const words = `${clock(toTotal(strip, at))} of ${clock(all)}, ${name.toLowerCase()}${op ? `, ${op.word} with T${op.tool}` : ''}`;
  return (
    <Box
      ref={box}
      role="slider"
      tabIndex={0}
      aria-label="Proof strip: time"
      aria-valuemin={0}
      aria-valuemax={Math.round(all)}
      aria-valuenow={Math.round(toTotal(strip, at))}
      aria-valuetext={words}
      data-strip
      onPointerDown={drag}
      onPointerMove={drag}
      onKeyDown={keys}
    >
      <div className="ops" aria-hidden>
        {labels
          .filter((l) => l.w > 28)
          .map(({ o, x, w }) => (
            <span key={o.id} style={{ left: x + 2, width: w - 4 }}>
              {roomFor(`T${o.tool} ${o.word}`, w) ? `T${o.tool} ${o.word}` : `T${o.tool}`}
            </span>
          ))}
      </div>
      <canvas ref={canvas} aria-hidden />
      {flags.map(({ f, x }) => (
        <span className="flag" key={f.id} style={{ left: 16 + x }} aria-hidden title={f.what}>
          ⚑
        </span>
      ))}
      {ends.map(({ n, x }) => (
        <i
          className="end-of"
          key={`${x} ${n.words}`}
          style={{ left: 16 + x }}
          aria-hidden
          title={n.words}
          data-no-return
        />
      ))}
      <div className="needle" style={{ left: 16 + (toTotal(strip, at) / all) * width }} />
      <div className="foot">
        <b>{clock(toTotal(strip, at))}</b>
        <span>
          {name}, line {setup?.line[k] ?? 1}
          {op ? `, T${op.tool} ${op.word}` : ''}
        </span>
        <span className="power">
          ▮ power {say(setup?.power[k] ?? 0, 'kW', units, 2)} of {say(strip.usable_kw, 'kW', units, 2)} usable (dashed)
        </span>
        <span className="bite">— engagement {setup?.engagement[k] ?? 0}°</span>
        <span>{(setup?.feed[k] ?? 0) > 0 ? `feed ${say(setup?.feed[k] ?? 0, 'mm/min', units)}` : 'rapid or wait'}</span>
        <span className="end">drag, or , . a line, [ ] a step</span>
      </div>
    </Box>
  );
}
