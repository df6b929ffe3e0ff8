import { useId, useState, type ReactNode } from 'react';
import styled from 'styled-components';
import type { BookField, Chapter } from '../api/types';
import { useUnits } from '../frame/settings';
import { DIGITS, listed, missing, readList, type Entry } from '../model/book';
import { Button, Line, Link, Quiet, Sr } from '../parts/basics';
import { Choice } from '../parts/Choice';
import { Field } from '../parts/Field';
import { Drawing } from './Drawing';

const Form = styled.form`
  display: grid;
  grid-template-columns: minmax(0, 170px) minmax(0, 1fr);
  gap: 6px 10px;
  align-items: baseline;
  input.words,
  textarea {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    color: inherit;
    font: inherit;
    padding: 2px 6px;
    width: 100%;
  }
  input[aria-invalid='true'] {
    border: 2px solid ${(p) => p.theme.red};
  }
  .wrong {
    color: ${(p) => p.theme.red};
    font-size: 13.5px;
  }
  .sizes {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 4px 8px;
    align-items: baseline;
  }
  input:disabled {
    background: transparent;
    border-color: transparent;
    padding-left: 0;
  }
  .wide {
    grid-column: 1 / -1;
  }
  .lines {
    td,
    th {
      padding: 2px 8px 2px 0;
      text-align: left;
      font-weight: 400;
    }
    th {
      color: ${(p) => p.theme.quiet};
    }
    .unit {
      display: none;
    }
  }
  .act {
    grid-column: 1 / -1;
    margin-top: 8px;
  }
`;

/** What may be chosen and is a word of a program, as it stands there. */
const CODES: Record<string, string> = {
  t_m6: 'T3 M6',
  m6_t: 'M6 T3',
  t: 'T3 alone',
  g53: 'G53 Z0',
  g28: 'G91 G28 Z0',
  g43: 'G43 H3',
  p_seconds: 'P in seconds',
  p_milliseconds: 'P in milliseconds',
  x_seconds: 'X in seconds',
  cycle: 'G84',
  cycle_by_turn: 'G95 G84',
  threading: 'G33',
};

interface Props {
  chapter: Chapter;
  entry: Entry;
  /** It stands in the book; else it is a new one. */
  kept: boolean;
  materials: readonly { id: string; words: string }[];
  controls: readonly { id: string; words: string }[];
  onDone: (entry: Entry) => void;
  onRemove: (() => void) | null;
  onLeave: () => void;
}

/** Several numbers in a line; what is not understood is said, and waits. */
function Numbers({ f, value, onSet }: { f: BookField; value: unknown; onSet: (v: number[]) => void }) {
  const { units } = useUnits();
  const [text, setText] = useState<string | null>(null);
  const note = useId();
  const typed = text === null ? null : readList(text, f.unit, units);
  return (
    <span>
      <input
        className="words"
        aria-label={f.words}
        aria-invalid={typed?.kind === 'wrong'}
        aria-describedby={typed?.kind === 'wrong' ? note : undefined}
        value={text ?? listed(value, f.unit, units)}
        placeholder="none"
        onChange={(e) => {
          setText(e.target.value);
          const t = readList(e.target.value, f.unit, units);
          if (t.kind === 'numbers') onSet(t.values);
        }}
        onBlur={() => typed?.kind === 'numbers' && setText(null)}
        onKeyDown={(e) => e.stopPropagation()}
      />
      {typed?.kind === 'wrong' ? (
        <span id={note} className="wrong" role="status">
          {typed.why}
        </span>
      ) : null}
    </span>
  );
}

/** An entry of the shop's book, new or changed: its layout comes with the chapter. */
export function BookForm({ chapter, entry, kept, materials, controls, onDone, onRemove, onLeave }: Props) {
  const { units } = useUnits();
  const [e, setE] = useState<Entry>(entry);
  const set = (key: string, v: unknown) => setE((was) => ({ ...was, [key]: v }));
  const unit = (f: { unit: string }) =>
    f.unit === '1/min' ? 'rpm' : f.unit === 'mm' && units === 'inch' ? 'in' : f.unit;
  const wide = (f: BookField) => ['rows', 'numbers', 'long'].includes(f.kind);
  const lack = missing(chapter, e);
  const changed = JSON.stringify(e) !== JSON.stringify(entry);

  const one = (f: BookField): ReactNode => {
    const v = e[f.key];
    const num = (x: unknown) => (typeof x === 'number' ? x : NaN);
    switch (f.kind) {
      case 'text':
      case 'line':
        return (
          <input
            className="words"
            aria-label={f.words}
            value={String((v as string | undefined) ?? '')}
            maxLength={240}
            disabled={f.fixed && kept}
            onChange={(x) => set(f.key, x.target.value)}
            onKeyDown={(x) => x.stopPropagation()}
          />
        );
      case 'long':
        return (
          <textarea
            aria-label={f.words}
            rows={4}
            maxLength={2000}
            value={String((v as string | undefined) ?? '')}
            onChange={(x) => set(f.key, x.target.value)}
            onKeyDown={(x) => x.stopPropagation()}
          />
        );
      case 'flag':
        return (
          <Choice
            label={f.words}
            value={v === true ? 'yes' : 'no'}
            options={[
              { id: 'yes', words: 'yes' },
              { id: 'no', words: 'no' },
            ]}
            onChange={(x) => set(f.key, x === 'yes')}
          />
        );
      case 'choice':
        return (
          <Choice
            label={f.words}
            value={String(v as string)}
            options={f.of.map((id) => ({ id, words: CODES[id] ?? id.replaceAll('_', ' ') }))}
            onChange={(x) => set(f.key, x)}
          />
        );
      case 'material':
        return (
          <Choice label={f.words} value={String(v as string)} options={materials} onChange={(x) => set(f.key, x)} />
        );
      case 'control':
        return (
          <Choice label={f.words} value={String(v as string)} options={controls} onChange={(x) => set(f.key, x)} />
        );
      case 'numbers':
        return <Numbers f={f} value={v} onSet={(x) => set(f.key, x)} />;
      case 'sizes': {
        const all = Array.isArray(v) ? (v as number[]) : f.of.map(() => NaN);
        return (
          <span className="sizes">
            {f.of.map((name, k) => (
              <span key={name} style={{ display: 'contents' }}>
                <Quiet>{name}</Quiet>
                <Field
                  label={`${f.words}, ${name}`}
                  value={num(all[k])}
                  unit={f.unit}
                  digits={DIGITS}
                  onSet={(x) =>
                    x !== null &&
                    set(
                      f.key,
                      all.map((o, j) => (j === k ? x : o)),
                    )
                  }
                />
              </span>
            ))}
          </span>
        );
      }
      case 'rows': {
        const lines = Array.isArray(v) ? (v as Record<string, number>[]) : [];
        const put = (k: number, key: string, x: number) =>
          set(
            f.key,
            lines.map((l, j) => (j === k ? { ...l, [key]: x } : l)),
          );
        return (
          <span className="lines">
            <table>
              <thead>
                <tr>
                  {f.rows.map((c) => (
                    <th key={c.key}>
                      {c.words}, {unit(c)}
                    </th>
                  ))}
                  <th>
                    <Sr>Away with a line</Sr>
                  </th>
                </tr>
              </thead>
              <tbody>
                {lines.map((l, k) => (
                  // Lines have no names; their place is what they are.
                  <tr key={k}>
                    {f.rows.map((c) => (
                      <td key={c.key}>
                        <Field
                          tight
                          label={`${f.words}, line ${k + 1}, ${c.words}`}
                          value={num(l[c.key])}
                          unit={c.unit}
                          digits={DIGITS}
                          onSet={(x) => x !== null && put(k, c.key, x)}
                        />
                      </td>
                    ))}
                    <td>
                      <Link
                        aria-label={`Line ${k + 1} away`}
                        onPress={() =>
                          set(
                            f.key,
                            lines.filter((_, j) => j !== k),
                          )
                        }
                      >
                        away
                      </Link>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <Link
              onPress={() => set(f.key, [...lines, lines.at(-1) ?? Object.fromEntries(f.rows.map((c) => [c.key, 1]))])}
            >
              One more line
            </Link>
          </span>
        );
      }
      default:
        return (
          <Field
            label={f.words}
            value={num(v)}
            unit={f.unit}
            digits={f.kind === 'count' ? 0 : DIGITS}
            onSet={(x) => {
              if (x === null) {
                if (f.kind === 'maybe') set(f.key, null);
              } else set(f.key, f.kind === 'count' ? Math.max(0, Math.round(x)) : x);
            }}
          />
        );
    }
  };
  return (
    <Form
      aria-label={kept ? `This ${chapter.one}` : `A new ${chapter.one}`}
      onSubmit={(x) => {
        x.preventDefault();
        if (lack === null) onDone(e);
      }}
    >
      <div className="wide">
        <Drawing chapter={chapter.key} entry={e} />
      </div>
      {chapter.fields.map((f) => (
        <div key={f.key} style={{ display: 'contents' }} data-field={f.key}>
          <Quiet className={wide(f) ? 'wide' : undefined}>
            {f.words}
            {f.kind === 'numbers' && f.unit ? `, ${unit(f)}` : ''}
          </Quiet>
          <span className={wide(f) ? 'wide' : undefined}>{one(f)}</span>
        </div>
      ))}
      <Line className="act">
        <Button $small $main type="submit" isDisabled={lack !== null || (kept && !changed)}>
          {kept ? 'Change it' : 'Into the book'}
        </Button>
        <Button $small onPress={onLeave} isDisabled={kept && !changed}>
          Leave it as it was
        </Button>
        {onRemove ? (
          <Button $small onPress={onRemove}>
            Take it out
          </Button>
        ) : null}
        {lack === null ? null : <Quiet>Missing: {lack.toLowerCase()}</Quiet>}
      </Line>
    </Form>
  );
}
