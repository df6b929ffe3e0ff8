import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import styled from 'styled-components';
import { measureQuery } from '../api';
import type { HoldKind, Reading } from '../api/types';
import { Link, Quiet } from '../parts/basics';
import { capital, say, saySize } from '../model/units';
import { useJob, type Ticket } from './job';
import { usePart } from './part';
import { useStock } from './stock';
import { useInWords, useUnits } from './settings';

const Box = styled.div`
  width: fit-content;
  padding: 2px 8px;
  margin: -2px -8px;
  background: color-mix(in srgb, ${(p) => p.theme.paper} 78%, transparent);
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
  /** How one looks at it. */
  children?: ReactNode;
}

/** The words over the part: what is under the pointer, and what was measured. */
export function OverPart({ hover, children }: PartProps) {
  const { id, revision, part, places, setPlaces, picked, clearPicked } = usePart();
  const { units } = useUnits();
  const [a, b] = picked;
  const m = { data: useInWords(units, useQuery(measureQuery(id, revision, a, b)).data) };
  const value = (r: Reading) => (r.unit === 'deg' ? `${say(r.value, '', units, 3)}°` : say(r.value, r.unit, units, 3));
  const [first, ...rest] = m.data?.readings ?? [];
  return (
    <Box>
      <h2>{hover === null ? saySize(part.size, units) : part.faces[hover]}</h2>
      {a && m.data ? (
        <div data-measured={m.data.readings.length} role="status">
          <p>
            {m.data.about.join(' to ')}: {first ? <b>{`${first.name} ${value(first)}`}</b> : 'nothing to measure'}
            {first && !first.exact ? ` (± ${say(part.chord_error, 'mm', units, 3)})` : ''}
          </p>
          {rest.length > 0 ? (
            <p>
              <Quiet>{rest.map((r) => `${r.name} ${value(r)}`).join(', ')}</Quiet>
            </p>
          ) : null}
          <p>
            {b ? '' : 'Press a second face for what lies between. '}
            <Link onPress={clearPicked}>Clear</Link>
          </p>
        </div>
      ) : (
        <Quiet>Press a face to measure and to mark it; press two for what lies between</Quiet>
      )}
      {children}
      <Shown places={places} hide={() => setPlaces([])} />
    </Box>
  );
}

/** The words over the picture: what it shows. */
export function OverStock() {
  const { sheet } = useStock();
  const { units } = useUnits();
  const s = sheet?.stock;
  if (!s)
    return (
      <Box>
        <h2>The part, and the piece that is proposed for it</h2>
        <Quiet>Dashed: the piece as it lies in the rack. The plan’s block comes with the plan</Quiet>
      </Box>
    );
  return (
    <Box>
      <h2>
        The part in its {s.laid ? 'piece' : 'block'}, {saySize(s.size, units)}
      </h2>
      <Quiet>
        Brass: the block that the plan starts from
        {s.laid ? '; dashed: the piece as it lies in the rack' : ''}
      </Quiet>
      {s.rehearsal ? <p>▲ Rehearsal in {s.material_name}</p> : null}
    </Box>
  );
}

/** What is seen of a hold. */
const held: Record<HoldKind, string> = {
  vise: 'Front jaw is glass',
  chuck: 'Three jaws, packed, on the table',
  soft_jaws: 'Jaws with the nest that is cut for it',
  plate: 'On its plate: set by two pins, held by screws through its own holes',
  bond: 'Stuck to a pallet that is gripped in the vise',
  straps: 'On a sheet on the table; screws through its own holes',
  collet: 'A bar in its collet block, which is turned as a unit',
};

/** The same over the stock at the machine. */
export function Over({ ticket, setup }: { ticket: Ticket; setup: number }) {
  const { sheet, side, places, setPlaces } = useJob();
  const x = sheet.sides[ticket === 'hold' || ticket === 'run' ? side : setup];
  return (
    <Box>
      <h2>
        {capital(x?.name ?? 'side 1')} of {sheet.sides.length}, as you stand at the machine
      </h2>
      <Quiet>
        {ticket === 'hold' || ticket === 'run'
          ? `${held[x?.held_by ?? 'vise']}; blue cross: the zero`
          : ticket === 'order' || ticket === 'cutters'
            ? 'Stock after the chosen step; blue its cuts, dashed its rapids'
            : 'Brass: cut surface'}
      </Quiet>
      <Shown places={places} hide={() => setPlaces([])} />
    </Box>
  );
}
