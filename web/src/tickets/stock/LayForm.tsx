import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { layQuery } from '../../api';
import type { Candidate, Lay, Laying, StockBench } from '../../api/types';
import { useStock } from '../../frame/stock';
import { Button, Line, Quiet, Section } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Field } from '../../parts/Field';
import { FindingRow } from '../../parts/FindingRow';
import { useInWords, useUnits } from '../../frame/settings';
import { FITS } from './words';

interface Props {
  bench: StockBench;
  stands: Candidate;
  /** Another lay is being looked at. */
  onTry: (l: Laying | null) => void;
}

/** How the part lies in its piece: turned, askew, shifted. It is tried first; the drawing follows at once. */
export function LayForm({ bench, stands, onTry }: Props) {
  const { id, decide } = useStock();
  const [trial, setTrial] = useState<Lay | null>(null);
  const { units } = useUnits();
  const asked = useQuery(layQuery(id, stands.piece, trial));
  const tried = { ...asked, data: useInWords(units, asked.data) };
  const lay = trial ?? stands.laying.lay;
  const laying = (trial && tried.data) || stands.laying;
  // What came back is shown by whoever draws.
  useEffect(() => onTry(trial ? (tried.data ?? null) : null), [trial, tried.data, onTry]);
  const shift = (k: 0 | 1 | 2, v: number | null) => {
    const s: [number, number, number] = [...lay.shift];
    s[k] = v ?? 0;
    setTrial({ ...lay, shift: s });
  };
  return (
    <Section aria-label="How the part lies in it">
      <h2>How the part lies in it</h2>
      <Line>
        <Quiet>Part’s</Quiet>
        <Choice
          label="Way the part is turned"
          value={String(lay.way)}
          options={bench.ways.map((w, k) => ({ id: String(k), words: w }))}
          onChange={(w) => setTrial({ ...lay, way: Number(w), shift: [0, 0, 0] })}
        />
        <Quiet>askew by</Quiet>
        <Field
          label="Angle about the piece's height"
          value={lay.angle_deg}
          unit="°"
          onSet={(v) => setTrial({ ...lay, angle_deg: v ?? 0 })}
        />
      </Line>
      <Line style={{ marginTop: 6, gap: 4 }}>
        <Quiet>Shift along</Quiet>
        <Field tight label="Shift along the piece" value={lay.shift[0]} unit="mm" onSet={(v) => shift(0, v)} />
        <Quiet>across</Quiet>
        <Field tight label="Shift across the piece" value={lay.shift[1]} unit="mm" onSet={(v) => shift(1, v)} />
        <Quiet>up</Quiet>
        <Field tight label="Shift up in the piece" value={lay.shift[2]} unit="mm" onSet={(v) => shift(2, v)} />
      </Line>
      {trial ? (
        <div role="status" data-tried={laying.fit} style={{ marginTop: 6 }}>
          {tried.error ? (
            <p>{tried.error.message}</p>
          ) : (
            <>
              <p>
                <b>{FITS[laying.fit].words}</b>, {Math.round(laying.waste_share * 100)} % becomes chips or scrap
              </p>
              {laying.findings.map((f) => (
                <FindingRow key={f.id} finding={f} />
              ))}
            </>
          )}
          <Line>
            <Button
              $small
              $main
              isDisabled={!tried.data}
              onPress={() => {
                decide({ about: 'stock', choice: { Piece: { piece: stands.piece, lay } } });
                setTrial(null);
              }}
            >
              Lay it so
            </Button>
            <Button $small onPress={() => setTrial(null)}>
              Leave it
            </Button>
          </Line>
        </div>
      ) : null}
    </Section>
  );
}
