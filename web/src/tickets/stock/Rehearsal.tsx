import { useState } from 'react';
import { useStock } from '../../frame/stock';
import { keyOf } from '../../model/key';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';

/** The same job in a cheap substitute first: own material, own feeds, and what it proved. */
export function Rehearsal() {
  const { state, shop, decide } = useStock();
  const [text, setText] = useState('');
  const on = state.settled.rehearsal;
  const substitutes = shop.materials.filter((m) => m.substitute);
  const proved = Object.entries(state.settled.rehearsed ?? {});
  const name = (id: string) => shop.materials.find((m) => m.id === id)?.name ?? id;
  const keep = (good: boolean) => {
    if (!on || text.trim() === '') return;
    const id = keyOf(proved.length, text);
    decide({
      about: 'rehearsed',
      id,
      proved: { text, good, material: on.material, when: new Date().toISOString().slice(0, 10) },
    });
    setText('');
  };
  return (
    <Section aria-label="Rehearsal">
      <h2>Rehearsal</h2>
      {on ? (
        <Line data-rehearsal={on.material}>
          <Stamp kind="answer" words={`in ${name(on.material)}`} />
          <span>Programs have its speeds and feeds, and say so in their first line.</span>
          <Button $small $main onPress={() => decide({ about: 'rehearsal', on: null })}>
            Back to the real material
          </Button>
        </Line>
      ) : (
        <Line>
          <Quiet>Costly or the only piece? Cut it first in</Quiet>
          {substitutes.map((m) => (
            <Button key={m.id} $small onPress={() => decide({ about: 'rehearsal', on: { material: m.id } })}>
              {m.name}
            </Button>
          ))}
        </Line>
      )}
      {proved.length > 0 ? (
        <Rows style={{ marginTop: 8 }}>
          {proved.map(([id, p]) => (
            <li key={id}>
              <Line>
                <Stamp kind={p.good ? 'proved' : 'stop'} words={p.good ? 'proved' : 'not so'} />
                <span>{p.text}</span>
                <Quiet>
                  {name(p.material)}, {p.when}
                </Quiet>
                <Link onPress={() => decide({ about: 'rehearsed', id, proved: null })}>Take away</Link>
              </Line>
            </li>
          ))}
        </Rows>
      ) : null}
      {on ? (
        <Line style={{ marginTop: 8 }}>
          <input
            aria-label="What the rehearsal proved"
            placeholder="Bearing drops in"
            value={text}
            maxLength={300}
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
          />
          <Button $small isDisabled={text.trim() === ''} onPress={() => keep(true)}>
            It proved this
          </Button>
          <Button $small isDisabled={text.trim() === ''} onPress={() => keep(false)}>
            It was not so
          </Button>
        </Line>
      ) : null}
    </Section>
  );
}
