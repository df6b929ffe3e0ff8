import { useState } from 'react';
import type { Ask, Carried } from '../../api/types';
import { usePart } from '../../frame/part';
import { useUnits } from '../../frame/settings';
import { keyOf } from '../../model/key';
import { say } from '../../model/units';
import { said } from '../../model/words';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';
import { Num } from '../../parts/Number';
import { MarkForm } from './MarkForm';
import styled from 'styled-components';

const Box = styled.form`
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 4px 8px;
  margin-top: 6px;
  input {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 2px 6px;
  }
  .act {
    grid-column: 2;
  }
`;

/** What a person marked on the faces, and what size it makes. */
export function Marks() {
  const { part, decide, setFaces, picked } = usePart();
  const { units } = useUnits();
  const heirs = part.revised?.carried ?? [];
  const carry = (c: Carried) => {
    // Its key has the face's name in it: the mark is made there, then taken away here.
    decide({ about: 'mark', id: c.id, mark: c.now });
    if (c.id !== c.mark) decide({ about: 'mark', id: c.mark, mark: null });
  };
  const range = (r: [number, number]) => `${say(r[0], 'mm', units, 3)} to ${say(r[1], 'mm', units, 3)}`;
  return (
    <Section aria-label="Marks">
      <h2>Marks</h2>
      {picked[0] ? (
        <MarkForm />
      ) : (
        <Quiet>Press a face on the stage to mark it: tight, datum, thread, finish, visible.</Quiet>
      )}
      {heirs.length > 1 ? (
        <Line style={{ marginTop: 6 }}>
          <span>{heirs.length} marks are on faces that the revision changed.</span>
          <Button $small onPress={() => heirs.forEach(carry)}>
            Carry all over
          </Button>
        </Line>
      ) : null}
      {part.marks.length > 0 ? (
        <Rows>
          {part.marks
            .map((m) => ({ ...m, heir: heirs.find((c) => c.mark === m.id) }))
            .map((m) => (
              <li key={m.id} data-mark={m.id}>
                <Line>
                  <b>{m.words}</b>
                  {m.machine ? (
                    <span>
                      machine to {range(m.machine)}{' '}
                      <Num value={0} unit="" words="why" why={{ title: m.words, terms: m.terms, source: m.source }} />
                    </span>
                  ) : m.finished ? (
                    <span>
                      {range(m.finished)}{' '}
                      <Num value={0} unit="" words="why" why={{ title: m.words, terms: m.terms, source: m.source }} />
                    </span>
                  ) : null}
                  {m.faces.length > 0 ? <Link onPress={() => setFaces(m.faces)}>Show</Link> : null}
                  <Link onPress={() => decide({ about: 'mark', id: m.id, mark: null })}>Take away</Link>
                </Line>
                {m.heir ? (
                  <Line>
                    <span>▲ Its face changed: {m.heir.words}.</span>
                    <Link onPress={() => setFaces(m.heir?.faces ?? [])}>Show it</Link>
                    <Button $small onPress={() => m.heir && carry(m.heir)}>
                      Carry the mark over
                    </Button>
                  </Line>
                ) : m.doubt ? (
                  <p>▲ {m.doubt}</p>
                ) : null}
              </li>
            ))}
        </Rows>
      ) : null}
    </Section>
  );
}

const EMPTY: Ask = { text: '', proposal: '', whom: '', when: '', blocks: '', answer: '' };
const fields: readonly { key: keyof Ask; words: string }[] = [
  { key: 'text', words: 'Question' },
  { key: 'proposal', words: 'Until then' },
  { key: 'whom', words: 'Asked' },
  { key: 'blocks', words: 'It blocks' },
];

/** What only the drawing's owner can decide. */
export function Asks() {
  const { part, decide } = usePart();
  const { units } = useUnits();
  const [form, setForm] = useState<Ask | null>(null);
  const [reply, setReply] = useState<Record<string, string>>({});
  return (
    <Section aria-label="Questions to the owner of the drawing">
      <h2>To the drawing’s owner</h2>
      <Rows>
        {part.asks.map(({ id, ask }) => (
          <li key={id} data-ask={id}>
            <Line style={{ justifyContent: 'space-between' }}>
              <b>{said(ask.text, units)}</b>
              <Stamp kind={ask.answer ? 'decided' : 'answer'} words={ask.answer ? 'answered' : 'asked'} />
            </Line>
            <p>
              <Quiet>
                {ask.whom ? `${ask.whom}, ${ask.when}. ` : ''}
                {ask.proposal ? `Until then: ${ask.proposal}. ` : ''}
                {ask.blocks ? `It blocks ${said(ask.blocks, units)}.` : ''}
              </Quiet>{' '}
              {ask.answer ? <b>{ask.answer}</b> : null}
            </p>
            {ask.answer ? null : (
              <Line>
                <input
                  aria-label={`Answer to: ${said(ask.text, units)}`}
                  value={reply[id] ?? ''}
                  onChange={(e) => setReply({ ...reply, [id]: e.target.value })}
                  onKeyDown={(e) => e.stopPropagation()}
                />
                <Button
                  $small
                  isDisabled={!reply[id]}
                  onPress={() => decide({ about: 'ask', id, ask: { ...ask, answer: reply[id] ?? '' } })}
                >
                  This is the answer
                </Button>
                <Link onPress={() => decide({ about: 'ask', id, ask: null })}>Take it back</Link>
              </Line>
            )}
          </li>
        ))}
      </Rows>
      {form ? (
        <Box
          aria-label="A question to the owner of the drawing"
          onSubmit={(e) => {
            e.preventDefault();
            const id = `q${keyOf(part.asks.length, form.text)}`;
            decide({ about: 'ask', id, ask: { ...form, when: new Date().toISOString().slice(0, 10) } });
            setForm(null);
          }}
        >
          {fields.map((f) => (
            <label key={f.key} style={{ display: 'contents' }}>
              <span>{f.words}</span>
              <input
                value={form[f.key]}
                maxLength={500}
                onChange={(e) => setForm({ ...form, [f.key]: e.target.value })}
                onKeyDown={(e) => e.stopPropagation()}
              />
            </label>
          ))}
          <Line className="act">
            <Button $small $main type="submit" isDisabled={form.text.trim() === ''}>
              Ask
            </Button>
            <Button $small onPress={() => setForm(null)}>
              Not now
            </Button>
          </Line>
        </Box>
      ) : (
        <Button $small onPress={() => setForm(EMPTY)}>
          Ask something
        </Button>
      )}
    </Section>
  );
}
