import { useTheme } from 'styled-components';
import type { Tool } from '../../api/types';
import { useUnits } from '../../frame/settings';
import { coneOf, upperRadius } from '../../model/cone';
import { say } from '../../model/units';

interface Props {
  tool: Tool;
  /** How far below the block's top it goes, mm; without it no wall is drawn. */
  depth?: number;
}

/** The cutter in its holder, to scale, and beside it the wall that it goes down along. */
export function ToolDrawing({ tool: t, depth }: Props) {
  const c = useTheme();
  const { units } = useUnits();
  const holder = t.holder.reduce((a, p) => a + p.length_mm, 0);
  const shown = t.stickout_mm + Math.min(holder, 24);
  const widest = Math.max(t.diameter_mm, t.shank_diameter_mm, ...t.holder.map((p) => p.diameter_mm));
  const k = Math.min(150 / (shown + 4), 116 / widest);
  const cx = 78;
  const ground = 154;
  const y = (h: number) => ground - h * k;
  const r = (t.diameter_mm / 2) * k;
  const end = coneOf(t);
  const tip = (end ? end.tip : t.diameter_mm / 2) * k;
  const cone = end?.height ?? 0;
  const corner = (t.kind === 'ball' ? t.diameter_mm / 2 : cone > 0 ? 0 : t.corner_radius_mm) * k;
  const upper = upperRadius(t) * k;
  const s = (t.shank_diameter_mm / 2) * k;
  let h = t.stickout_mm;
  return (
    <svg
      width="156"
      height="176"
      viewBox="0 0 156 176"
      role="img"
      aria-label={`Cutter to scale: flutes ${say(t.flute_length_mm, 'mm', units)}, sticks out ${say(t.stickout_mm, 'mm', units)}${depth === undefined ? '' : `, goes ${say(depth, 'mm', units)} deep`}`}
    >
      <defs>
        <pattern id="wall" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="6" stroke={c.quiet} />
        </pattern>
      </defs>
      {depth === undefined ? null : (
        <>
          <rect
            x={cx - r - 46}
            y={y(depth)}
            width={44}
            height={Math.max(1, ground - y(depth)) + 10}
            fill="url(#wall)"
            stroke={c.quiet}
          />
          <rect x={cx - r - 2} y={ground} width={2 * r + 60} height={10} fill="url(#wall)" stroke={c.quiet} />
        </>
      )}
      <rect
        x={cx - s}
        y={y(t.stickout_mm)}
        width={2 * s}
        height={Math.max(0, t.stickout_mm - t.flute_length_mm) * k}
        fill={c.steel}
        stroke={c.ink}
      />
      <path
        d={
          corner > 0
            ? `M${cx - r + corner} ${ground}A${corner} ${corner} 0 0 1 ${cx - r} ${ground - corner}V${y(t.flute_length_mm)}H${cx + r}V${ground - corner}A${corner} ${corner} 0 0 1 ${cx + r - corner} ${ground}Z`
            : `M${cx - tip} ${ground}L${cx - r} ${y(cone)}L${cx - upper} ${y(t.flute_length_mm)}H${cx + upper}L${cx + r} ${y(cone)}L${cx + tip} ${ground}Z`
        }
        fill={c.brassWash}
        stroke={c.ink}
      />
      {t.holder.map((p) => {
        const from = h;
        h += p.length_mm;
        const [a, b] = [y(from), Math.max(0, y(h))];
        return a > b ? (
          <rect
            key={from}
            x={cx - (p.diameter_mm / 2) * k}
            y={b}
            width={p.diameter_mm * k}
            height={a - b}
            fill={c.jaw}
            stroke={c.ink}
          />
        ) : null;
      })}
      <line x1={cx + r + 10} x2={cx + r + 10} y1={ground} y2={y(t.flute_length_mm)} stroke={c.blue} strokeWidth="1.5" />
      <text x={cx + r + 15} y={(ground + y(t.flute_length_mm)) / 2 + 5} fill={c.blue} fontSize="13">
        {say(t.flute_length_mm, 'mm', units).replace(/ .*/, '')}
      </text>
    </svg>
  );
}
