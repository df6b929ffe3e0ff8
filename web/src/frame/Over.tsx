import styled from 'styled-components';
import { Link, Quiet } from '../parts/basics';
import type { Picked } from '../stage/scene';
import { say, saySize } from '../model/units';
import { useJob, type Ticket } from './job';
import { usePart } from './part';
import { useUnits } from './settings';

const Box = styled.div`
  h2 {
    font-size: 16px;
  }
  button {
    pointer-events: auto;
  }
`;

function Shown({ places, hide }: { places: readonly unknown[]; hide: () => void }) {
  return places.length > 0 ? (
    <p>
      Red: where the finding is. <Link onPress={hide}>Hide</Link>
    </p>
  ) : null;
}

interface PartProps {
  hover: number | null;
  ruler: [Picked | null, Picked | null];
  onClear: () => void;
}

/** The words over the part: what is under the pointer, and what was measured. */
export function OverPart({ hover, ruler: [a, b], onClear }: PartProps) {
  const { part, places, setPlaces } = usePart();
  const { units } = useUnits();
  const d = a && b ? a.point.map((v, k) => (b.point[k] ?? 0) - v) : null;
  return (
    <Box>
      <h2>{hover === null ? saySize(part.size, units) : part.faces[hover]}</h2>
      {d ? (
        <p>
          {say(Math.hypot(...d), 'mm', units, 3)} apart (X {say(d[0] ?? 0, 'mm', units)}, Y{' '}
          {say(d[1] ?? 0, 'mm', units)}, Z {say(d[2] ?? 0, 'mm', units)}), to {say(part.chord_error, 'mm', units, 3)} on
          round faces. <Link onPress={onClear}>Clear</Link>
        </p>
      ) : (
        <Quiet>
          {a ? 'Press a second point to measure' : 'Point at a face for its name; press two points to measure'}
        </Quiet>
      )}
      <Shown places={places} hide={() => setPlaces([])} />
    </Box>
  );
}

/** The words over the picture: what it shows. */
export function Over({ ticket, setup }: { ticket: Ticket; setup: number }) {
  const { sheet, side, places, setPlaces } = useJob();
  const { units } = useUnits();
  if (ticket === 'stock')
    return (
      <Box>
        <h2>The part in its block, {saySize(sheet.stock.size, units)}</h2>
        <Quiet>Brass: the block as it is sawn</Quiet>
      </Box>
    );
  const x = sheet.sides[ticket === 'hold' ? side : setup];
  return (
    <Box>
      <h2>
        {x?.name === 'side 1' ? 'Side 1' : 'Side 2'} of {sheet.sides.length}, as you stand at the machine
      </h2>
      <Quiet>
        {ticket === 'hold'
          ? 'Front jaw is glass; blue cross: the zero'
          : ticket === 'order' || ticket === 'cutters'
            ? 'Stock after the chosen step; blue its cuts, dashed its rapids'
            : 'Brass: cut surface'}
      </Quiet>
      <Shown places={places} hide={() => setPlaces([])} />
    </Box>
  );
}
