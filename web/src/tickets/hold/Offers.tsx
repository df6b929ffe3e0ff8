import styled from 'styled-components';
import type { HoldKind, Offer } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say, type Units } from '../../model/units';
import { Button, Line, Quiet } from '../../parts/basics';
import { Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';

const Cards = styled.ul`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(215px, 1fr));
  gap: 8px;
  margin: 8px 0 12px;
  padding: 0;
  list-style: none;
`;

const Card = styled.li<{ $chosen: boolean }>`
  border: 1px solid ${(p) => (p.$chosen ? p.theme.ink : p.theme.rule)};
  border-left-width: ${(p) => (p.$chosen ? '5px' : '1px')};
  background: ${(p) => p.theme.card};
  padding: 6px 10px 8px;
  display: flex;
  flex-direction: column;
  gap: 4px;
  > footer {
    margin-top: auto;
  }
`;

const names: Record<HoldKind, string> = {
  vise: 'Flat jaws on parallels',
  chuck: 'Chuck on the table',
  soft_jaws: 'Soft jaws',
  plate: 'On a plate by its own holes',
  bond: 'Stuck to a pallet',
  straps: 'On a sheet on the table',
  collet: 'From a bar in a collet block',
};

/** The largest error of a way along any axis. */
const errorWords = (o: Offer, units: Units) => {
  const worst = Math.max(...o.error_mm.map((e) => e[0]));
  const likely = Math.max(...o.error_mm.map((e) => e[1]));
  return `zero and seat ± ${say(likely, 'mm', units, 3)}, at worst ${say(worst, 'mm', units, 3)}`;
};

function OfferCard({ offer: o }: { offer: Offer }) {
  const { sheet, decide } = useJob();
  const { units } = useUnits();
  const made = sheet.made.find((m) => o.chosen && m.setup === o.setup);
  const first = o.facts.slice(0, 1);
  return (
    <Card $chosen={o.chosen} data-offer={o.kind}>
      <Line style={{ justifyContent: 'space-between', flexWrap: 'nowrap' }}>
        <b>{o.tilted ? 'On a slope between flat jaws' : names[o.kind]}</b>
        {o.chosen ? (
          <Stamp kind={sheet.hold.kinds ? 'decided' : 'proposed'} words={sheet.hold.kinds ? 'decided' : 'proposed'} />
        ) : null}
      </Line>
      {o.why_not ? (
        <span>
          <Quiet>Not here: </Quiet>
          {o.why_not}
        </span>
      ) : (
        <>
          {first.map((f) => (
            <span key={f.label}>
              {f.label}{' '}
              {f.value === null ? (
                'none'
              ) : (
                <Num value={f.value} unit={f.unit} why={{ title: f.label, terms: f.terms }} />
              )}
              <Quiet> {f.remark}</Quiet>
            </span>
          ))}
          <span>{errorWords(o, units)}</span>
          <span>
            {say(o.load_min, 'min', units, 0)} a piece to load
            {o.prepare_min > 0
              ? `, ${say(o.prepare_min, 'min', units, 0)} once ${
                  o.kind === 'plate' ? 'to set the plate, ream and tap' : 'to change the jaws'
                }`
              : ''}
            {made
              ? `, ${say(made.side.minutes, 'min', units, 1)} once to cut ${o.kind === 'plate' ? 'it' : 'them'}`
              : ''}
          </span>
          {o.makes ? <Quiet>Is made first: {o.makes}</Quiet> : null}
          <footer>
            {o.chosen ? null : (
              <Button
                $small
                onPress={() => {
                  if (sheet.hold.scheme_decided) decide({ about: 'scheme', id: null });
                  decide({ about: 'hold', kinds: [o.kind] });
                }}
              >
                Hold it this way
              </Button>
            )}
          </footer>
        </>
      )}
    </Card>
  );
}

/** Ways of holding that were looked at for a setup, side by side. */
export function Offers({ setup }: { setup: string }) {
  const { sheet, decide } = useJob();
  const mine = sheet.hold.offers.filter((o) => o.setup === setup);
  if (mine.length === 0) return null;
  return (
    <>
      <Cards aria-label={`Ways to hold ${setup}`}>
        {mine.map((o) => (
          <OfferCard key={o.kind} offer={o} />
        ))}
      </Cards>
      {sheet.hold.kinds ? (
        <Button $small onPress={() => decide({ about: 'hold', kinds: null })}>
          Back to the proposed way of holding
        </Button>
      ) : null}
    </>
  );
}
