import { useState } from 'react';
import styled from 'styled-components';
import type { Material, Piece } from '../api/types';
import { FORMS, formLike, sizes, SKINS, type FormName } from '../model/pieces';
import { Button, Line, Quiet } from '../parts/basics';
import { Choice } from '../parts/Choice';
import { Field } from '../parts/Field';

const Form = styled.form`
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 6px 8px;
  align-items: baseline;
  input.words {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 2px 6px;
    width: 100%;
  }
  .act {
    grid-column: 2;
    margin-top: 4px;
  }
`;

interface Props {
  piece: Piece;
  /** Tag of the piece that is changed; null: a new one. */
  was: string | null;
  materials: readonly Material[];
  onDone: (piece: Piece) => void;
  onRemove: () => void;
  onUse: () => void;
  onLeave: () => void;
}

/** A piece, new or changed. */
export function PieceForm({ piece, was, materials, onDone, onRemove, onUse, onLeave }: Props) {
  const [p, setP] = useState(piece);
  /** The same piece with something else in its form. */
  const shaped = (form: FormName, change: Partial<Piece['shape']>): Piece =>
    p.shape.form === form ? { ...p, shape: { ...p.shape, ...change } as Piece['shape'] } : p;
  const words = (label: string, value: string, set: (v: string) => Piece, hint = '') => (
    <label style={{ display: 'contents' }}>
      <Quiet>{label}</Quiet>
      <input
        className="words"
        value={value}
        placeholder={hint}
        maxLength={240}
        onChange={(e) => setP(set(e.target.value))}
        onKeyDown={(e) => e.stopPropagation()}
      />
    </label>
  );
  return (
    <Form
      aria-label={was === null ? 'A new piece' : `Piece ${was}`}
      onSubmit={(e) => {
        e.preventDefault();
        onDone(p);
      }}
    >
      {words('Tag', p.name, (name) => ({ ...p, name }), 'A12 flat 50 × 25')}
      <Quiet>What</Quiet>
      <span>
        <Choice
          label="Form of the piece"
          value={p.shape.form}
          options={FORMS}
          onChange={(f) => setP({ ...p, shape: formLike(f as FormName, p.shape) })}
        />
      </span>
      <Quiet>Material</Quiet>
      <span>
        <Choice
          label="Material of the piece"
          value={p.material}
          options={materials.map((m) => ({ id: m.id, words: m.name }))}
          onChange={(material) => setP({ ...p, material })}
        />
      </span>
      <Quiet>Faces</Quiet>
      <span>
        <Choice
          label="How its faces were made"
          value={p.skin}
          options={SKINS}
          onChange={(s) => setP({ ...p, skin: s as Piece['skin'] })}
        />
      </span>
      {sizes(p.shape).map((s) => (
        <div key={s.label} style={{ display: 'contents' }}>
          <Quiet>{s.label}</Quiet>
          <Field
            label={s.label}
            value={s.value}
            unit={s.unit}
            onSet={(v) => v !== null && setP({ ...p, shape: s.set(v) })}
          />
        </div>
      ))}
      {p.shape.form === 'result' ? words('Job', p.shape.job, (job) => shaped('result', { job })) : null}
      {p.shape.form === 'plate' && p.shape.outline.length > 0 ? (
        <>
          <Quiet>Outline</Quiet>
          <Line>
            <span>{p.shape.outline.length} corners</span>
            <Button $small onPress={() => setP(shaped('plate', { outline: [] }))}>
              It is square again
            </Button>
          </Line>
        </>
      ) : null}
      <Quiet>How many</Quiet>
      <Field
        label="How many"
        value={p.quantity}
        unit=""
        onSet={(v) => v !== null && setP({ ...p, quantity: Math.max(0, Math.round(v)) })}
      />
      <Quiet>Cost of one</Quiet>
      <span>
        <Field label="Cost of one" value={p.cost ?? NaN} unit="" onSet={(v) => setP({ ...p, cost: v })} />
      </span>
      {words('Note', p.note, (note) => ({ ...p, note }))}
      <Line className="act">
        <Button $small $main type="submit" isDisabled={p.name.trim() === ''}>
          {was === null ? 'Into the rack' : 'Change it'}
        </Button>
        <Button $small onPress={onLeave}>
          Leave it
        </Button>
      </Line>
      {was === null ? null : (
        <Line className="act">
          <Button $small onPress={onUse}>
            One is used up
          </Button>
          <Button $small onPress={onRemove}>
            Take all out
          </Button>
        </Line>
      )}
    </Form>
  );
}
