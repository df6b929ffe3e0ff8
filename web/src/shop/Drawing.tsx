import { useTheme } from 'styled-components';
import type { SpindlePoint, Tool } from '../api/types';
import type { Entry } from '../model/book';
import { Sample } from './Sample';
import { ToolDrawing } from '../tickets/cutters/ToolDrawing';

const finite = (...all: unknown[]) => all.every((v) => typeof v === 'number' && Number.isFinite(v) && v > 0);

const W = 360;
const H = 150;
const [LEFT, RIGHT, TOP, BOTTOM] = [34, 34, 22, 26];

/** Power and torque against speed, with what of them is counted on. */
function Spindle({ points, share, most }: { points: readonly SpindlePoint[]; share: number; most: number }) {
  const t = useTheme();
  const kw = Math.max(...points.map((p) => p.kw)) * 1.1;
  const nm = Math.max(...points.map((p) => p.nm)) * 1.1;
  const x = (rpm: number) => LEFT + ((W - LEFT - RIGHT) * rpm) / most;
  const y = (v: number, of: number) => H - BOTTOM - ((H - TOP - BOTTOM) * v) / of;
  const line = (of: number, f: (p: SpindlePoint) => number) =>
    points.map((p, k) => `${k === 0 ? 'M' : 'L'}${x(p.rpm).toFixed(1)} ${y(f(p), of).toFixed(1)}`).join('');
  const end = points.at(-1);
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      width="100%"
      role="img"
      aria-label="Power and torque of the spindle against its speed"
    >
      <path d={`M${LEFT} ${TOP}V${H - BOTTOM}H${W - RIGHT}V${TOP}`} fill="none" stroke={t.quiet} />
      <path d={line(kw, (p) => p.kw)} fill="none" stroke={t.blue} strokeWidth="1.5" />
      <path d={line(nm, (p) => p.nm)} fill="none" stroke={t.brass} strokeWidth="1.5" />
      <path d={line(kw, (p) => p.kw * share)} fill="none" stroke={t.blue} strokeDasharray="5 4" />
      <path d={line(nm, (p) => p.nm * share)} fill="none" stroke={t.brass} strokeDasharray="5 4" />
      <g fontSize="12.5">
        <text x={LEFT} y={TOP - 8} fill={t.blue}>
          kW
        </text>
        <text x={W - RIGHT} y={TOP - 8} textAnchor="end" fill={t.ink}>
          N m; dashed: counted on
        </text>
        <text x={LEFT - 4} y={y(kw / 1.1, kw) + 4} textAnchor="end" fill={t.blue}>
          {(kw / 1.1).toFixed(1)}
        </text>
        <text x={W - RIGHT + 4} y={y(nm / 1.1, nm) + 4} fill={t.ink}>
          {(nm / 1.1).toFixed(1)}
        </text>
        <text x={LEFT} y={H - 8} fill={t.quiet}>
          0
        </text>
        <text x={W - RIGHT} y={H - 8} textAnchor="end" fill={t.quiet}>
          {Math.round(end?.rpm ?? most)} rpm
        </text>
      </g>
    </svg>
  );
}

/** An entry as it would be with what is typed: a cutter in its holder, a spindle's curve; nothing for the others, or as long as a number is missing. */
export function Drawing({ chapter, entry: e }: { chapter: string; entry: Entry }) {
  if (chapter === 'dialects') return <Sample entry={e} />;
  if (chapter === 'crib' && finite(e.diameter_mm, e.flute_length_mm, e.shank_diameter_mm, e.stickout_mm))
    return <ToolDrawing tool={e as unknown as Tool} />;
  const points = (Array.isArray(e.spindle) ? e.spindle : []) as SpindlePoint[];
  if (chapter === 'machine' && points.length > 1 && points.every((p) => finite(p.rpm, p.kw, p.nm)))
    return <Spindle points={points} share={Number(e.usable_share)} most={Math.max(...points.map((p) => p.rpm))} />;
  return null;
}
