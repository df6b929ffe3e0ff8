import { useTheme } from 'styled-components';
import type { Crossing } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Link, Quiet, Section, Table } from '../../parts/basics';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';

const words = { meets: 'meets', likely: 'likely', fails: 'fails' } as const;

/** Likely error (solid) and worst case (outline) against what is allowed (the mark). */
export function Bar({ of: c, label }: { of: Crossing; label: string }) {
  const t = useTheme();
  const most = Math.max(c.worst_mm, c.allowed_mm) * 1.1;
  const w = (v: number) => (v / most) * 120;
  return (
    <svg viewBox="0 0 122 14" width="122" height="14" role="img" aria-label={label} style={{ display: 'block' }}>
      <rect x="0.5" y="3" width={w(c.worst_mm)} height="8" fill="none" stroke={t.blue} />
      <rect x="0.5" y="3" width={w(c.likely_mm)} height="8" fill={t.blue} />
      <line x1={w(c.allowed_mm)} x2={w(c.allowed_mm)} y1="0" y2="14" stroke={t.brassInk} strokeWidth="2.5" />
    </svg>
  );
}

/** Sizes between faces of different setups: how far they may be off, and what is allowed. */
export function Crossings() {
  const { sheet, setPlaces } = useJob();
  const { units } = useUnits();
  const all = sheet.hold.crossings;
  if (all.length === 0) return null;
  return (
    <Section aria-label="What crosses a flip">
      <h2>What crosses a flip</h2>
      <Quiet>
        Faces that are made in different setups lie off one another by what zero, seat and turn allow. Solid: likely;
        outline: all of it in one direction; the brass line is what is allowed.
      </Quiet>
      <Table>
        <tbody>
          {all.map((c) => (
            <tr key={`${c.mark ?? ''}${c.what}`} data-crossing={c.verdict}>
              <td>
                {c.mark ? <b>{c.what}</b> : c.what}
                <Quiet>
                  {' '}
                  ({c.setups.join(', ')}){' '}
                  {c.places.length > 0 ? <Link onPress={() => setPlaces(c.places)}>Show</Link> : null}
                </Quiet>
              </td>
              <td>
                <Bar
                  of={c}
                  label={`Likely ${say(c.likely_mm, 'mm', units, 3)}, at worst ${say(c.worst_mm, 'mm', units, 3)}, allowed ${say(c.allowed_mm, 'mm', units, 3)}`}
                />
                <span style={{ whiteSpace: 'nowrap' }}>
                  ±{' '}
                  <Num
                    value={c.worst_mm}
                    unit="mm"
                    digits={3}
                    why={grounds('What it may be off by, at worst', { terms: c.terms, source: c.source })}
                  />{' '}
                  of {say(c.allowed_mm, 'mm', units, 3)}
                </span>
              </td>
              <td>
                <Stamp
                  kind={c.verdict === 'meets' ? 'proved' : c.verdict === 'likely' ? 'proposed' : 'stop'}
                  words={words[c.verdict]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}
