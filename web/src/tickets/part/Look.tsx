import styled from 'styled-components';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Quiet } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import type { Place, Slice } from '../../api/types';
import type { Cut } from '../../stage/Stage';
import type { PaintBy, Painted } from './paint';

const Box = styled.div`
  pointer-events: auto;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  margin-top: 6px;
  input[type='range'] {
    width: 150px;
    accent-color: ${(p) => p.theme.blue};
  }
  .swatch {
    display: inline-block;
    width: 12px;
    height: 12px;
    margin-right: 4px;
    border: 1px solid ${(p) => p.theme.ink};
    vertical-align: -1px;
  }
`;

const colours: readonly { id: PaintBy; words: string }[] = [
  { id: 'none', words: 'one colour' },
  { id: 'side', words: 'by side it is cut from' },
  { id: 'reach', words: 'by reach' },
  { id: 'hard', words: 'by how hard' },
  { id: 'wall', words: 'by thin walls' },
];
const cuts = [
  { id: 'off', words: 'whole' },
  { id: '0', words: 'cut open along X' },
  { id: '1', words: 'cut open along Y' },
  { id: '2', words: 'cut open along Z' },
] as const;

interface Props {
  place: Place;
  by: PaintBy;
  setBy: (b: PaintBy) => void;
  painted: Painted | null;
  cut: Cut | null;
  setCut: (c: Cut | null) => void;
  slice: Slice | null;
}

/** How one looks at the part: what its colours mean, and where it is cut open. */
export function Look({ place, by, setBy, painted, cut, setCut, slice }: Props) {
  const { units } = useUnits();
  const [lo, hi] = cut ? [place.min_mm[cut.axis], place.max_mm[cut.axis]] : [0, 0];
  return (
    <>
      <Box>
        <Choice label="Colours" value={by} options={colours} onChange={(id) => setBy(id as PaintBy)} />
        <Choice
          label="Section"
          value={cut ? String(cut.axis) : 'off'}
          options={cuts}
          onChange={(id) => {
            const axis = Number(id) as 0 | 1 | 2;
            setCut(id === 'off' ? null : { axis, at: (place.min_mm[axis] + place.max_mm[axis]) / 2 });
          }}
        />
        {cut ? (
          <label>
            <input
              type="range"
              aria-label="Place of the section"
              min={lo}
              max={hi}
              step={(hi - lo) / 400}
              value={cut.at}
              onChange={(e) => setCut({ axis: cut.axis, at: Number(e.target.value) })}
            />{' '}
            {say(cut.at, 'mm', units)}
          </label>
        ) : null}
      </Box>
      {cut && slice ? (
        <Box data-walls={slice.walls.length} role="status">
          {slice.walls.length === 0 ? (
            <Quiet>{slice.area > 0 ? 'No two sides face each other here' : 'No material here'}</Quiet>
          ) : (
            <span>
              Walls here: <b>{say(slice.walls[0]?.thickness ?? 0, 'mm', units)}</b>
              {slice.walls
                .slice(1)
                .map((w) => `, ${say(w.thickness, 'mm', units)}`)
                .join('')}{' '}
              <Quiet>(± {say(slice.within, 'mm', units, 3)})</Quiet>
            </span>
          )}
        </Box>
      ) : null}
      {painted ? (
        <Box>
          {painted.legend.map((l) => (
            <span key={l.words}>
              <span className="swatch" style={{ background: l.colour }} />
              {l.words}
            </span>
          ))}
        </Box>
      ) : null}
    </>
  );
}
