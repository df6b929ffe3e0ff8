import { useState } from 'react';
import { Link as To } from 'react-router';
import styled from 'styled-components';
import type { Candidate, StockBench } from '../../api/types';
import { useStock } from '../../frame/stock';
import { useUnits } from '../../frame/settings';
import { formWords } from '../../model/pieces';
import { say } from '../../model/units';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';
import { Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { LayDrawing } from './LayDrawing';
import { FITS } from './words';

const Row = styled.div`
  display: grid;
  grid-template-columns: 148px minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
  .right {
    display: grid;
    gap: 5px;
    justify-items: end;
  }
`;

function One({ c, stands }: { c: Candidate; stands: boolean }) {
  const { decide } = useStock();
  const { units } = useUnits();
  const l = c.laying;
  const fit = FITS[l.fit];
  return (
    <li data-piece={c.piece.name} data-fit={l.fit}>
      <Row>
        <LayDrawing
          drawing={l.drawing}
          width={148}
          most={58}
          views={c.piece.shape.form === 'plate' ? [0] : [1, 2]}
          label={`The part in ${c.piece.name}`}
          small
        />
        <div>
          <Line>
            <b>{c.piece.name}</b>
            {l.fit === 'fits' ? null : <Stamp kind={fit.kind} words={fit.words} />}
            {c.piece.remnant_of ? <Quiet>rest of {c.piece.remnant_of}</Quiet> : null}
          </Line>
          <Quiet>
            {formWords(c.piece.shape, units)}
            {c.piece.quantity > 1 ? `, ${c.piece.quantity} of them` : ''}
          </Quiet>
          <p>{c.why}</p>
        </div>
        <div className="right">
          <Num
            value={l.minutes}
            unit="min"
            digits={1}
            label={`${c.piece.name}, work it costs`}
            why={{ title: `${c.piece.name}, work it costs`, terms: l.terms, source: l.source }}
          />
          {stands ? (
            <Stamp kind="decided" words="stands" />
          ) : (
            <Button
              $small
              onPress={() => decide({ about: 'stock', choice: { Piece: { piece: c.piece, lay: l.lay } } })}
            >
              Cut from it
            </Button>
          )}
        </div>
      </Row>
    </li>
  );
}

/** What the rack has for this part, the best first. */
export function Rack({ bench }: { bench: StockBench }) {
  const { sheet, decide } = useStock();
  const { units } = useUnits();
  const [all, setAll] = useState(false);
  const good = bench.candidates.filter((c) => c.laying.fit === 'fits' || c.laying.fit === 'tight');
  const bad = bench.candidates.filter((c) => !good.includes(c));
  const s = sheet?.stock;
  const standing = bench.stands?.piece.name;
  return (
    <Section aria-label="The rack for this part">
      <h2>From the rack, least work first</h2>
      <p>
        <Quiet>
          The part is {bench.made}. {bench.others > 0 ? `${bench.others} sorts of other materials are not shown. ` : ''}
        </Quiet>
        <To to="/shop">The whole rack</To>
      </p>
      <Rows>
        {good.map((c) => (
          <One key={c.piece.name} c={c} stands={standing === c.piece.name} />
        ))}
        <li data-piece="rule">
          <Line style={{ justifyContent: 'space-between' }}>
            <span>
              <b>A block by the rule</b> <Quiet>sawn or bought to size; nothing of the rack</Quiet>
            </span>
            {standing ? (
              <Button $small onPress={() => decide({ about: 'stock', choice: 'Rule' })}>
                Take the rule’s block
              </Button>
            ) : (
              <span>
                {s ? `${say(s.size[0] ?? 0, 'mm', units)} long ` : null}
                <Stamp kind="decided" words="stands" />
              </span>
            )}
          </Line>
        </li>
        {bad.length > 0 ? (
          <li>
            <Link onPress={() => setAll(!all)}>
              {all ? 'Hide' : 'Show'} {bad.length} that {bad.length === 1 ? 'does' : 'do'} not fit, with the reason
            </Link>
          </li>
        ) : null}
        {all ? bad.map((c) => <One key={c.piece.name} c={c} stands={standing === c.piece.name} />) : null}
      </Rows>
    </Section>
  );
}
