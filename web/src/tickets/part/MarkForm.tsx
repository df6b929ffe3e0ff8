import { useState } from 'react';
import styled from 'styled-components';
import type { Mark, MarkKind, Process } from '../../api/types';
import { usePart } from '../../frame/part';
import { Button, Line, Quiet } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Field } from '../../parts/Field';

const Box = styled.form`
  border: 1px solid ${(p) => p.theme.edge};
  border-left: 5px solid ${(p) => p.theme.blue};
  padding: 8px 12px;
  display: grid;
  gap: 6px;
  input.words {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 2px 6px;
    width: 130px;
  }
`;

type Kind = MarkKind['kind'];
const kinds: readonly { id: Kind; words: string }[] = [
  { id: 'size', words: 'tight size' },
  { id: 'distance', words: 'distance to the second face' },
  { id: 'position', words: 'position' },
  { id: 'datum', words: 'datum' },
  { id: 'parallel', words: 'parallel' },
  { id: 'thread', words: 'thread' },
  { id: 'finish', words: 'finish' },
  { id: 'visible', words: 'visible face' },
  { id: 'hidden', words: 'hidden face' },
];
const later: readonly { id: string; words: string }[] = [
  { id: 'none', words: 'nothing after machining' },
  { id: 'plating', words: 'plating' },
  { id: 'anodising', words: 'anodising' },
  { id: 'grinding', words: 'grinding' },
  { id: 'hardening', words: 'hardening' },
];

/** The first part of a mark's key. */
export const markKey = (m: Mark) =>
  `${m.what.kind === 'visible' || m.what.kind === 'hidden' ? 'seen' : m.what.kind}/${m.face}`;

/** Marks the picked face. */
export function MarkForm() {
  const { part, picked, decide, clearPicked } = usePart();
  const [kind, setKind] = useState<Kind>('size');
  const [letters, setLetters] = useState<string | null>(null);
  const [upper, setUpper] = useState(0.05);
  const [lower, setLower] = useState(-0.05);
  const [tolerance, setTolerance] = useState(0.05);
  const [after, setAfter] = useState('none');
  const [layer, setLayer] = useState(0.01);
  const [a, b] = picked;
  if (!a) return null;
  const face = part.face_ids[a.face] ?? '';
  // Holes have capital letters.
  const usual = face.startsWith('bore') ? 'H7' : 'h7';
  const text = letters ?? usual;
  const other = b ? (part.face_ids[b.face] ?? '') : '';
  const needsLetters = ['size', 'position', 'datum', 'parallel', 'thread'].includes(kind);
  const byClass = kind === 'size' && text.trim() !== '';
  const processes: Process[] =
    after === 'plating'
      ? [{ kind: 'plating', layer }]
      : after === 'anodising'
        ? [{ kind: 'anodising', layer }]
        : after === 'grinding'
          ? [{ kind: 'grinding', allowance: layer }]
          : after === 'hardening'
            ? [{ kind: 'hardening' }]
            : [];
  const what = (): MarkKind => {
    const said = text.trim();
    switch (kind) {
      case 'size':
        return { kind, class: said === '' ? null : said, upper, lower, processes };
      case 'distance':
        return { kind, to: other, upper, lower };
      case 'position':
        return { kind, tolerance, datums: said };
      case 'datum':
        return { kind, letter: said };
      case 'parallel':
        return { kind, tolerance, datum: said };
      case 'thread':
        return { kind, name: said };
      case 'finish':
        return { kind, ra: tolerance };
      default:
        return { kind };
    }
  };
  const choose = (k: Kind) => {
    setKind(k);
    setLetters({ size: usual, position: 'A', datum: 'A', parallel: 'A', thread: 'M8' }[k as string] ?? '');
    setTolerance(k === 'finish' ? 1.6 : 0.05);
  };
  const missing = kind === 'distance' && !b;
  return (
    <Box
      aria-label="Mark the picked face"
      onSubmit={(e) => {
        e.preventDefault();
        const mark: Mark = { face, what: what(), note: '' };
        decide({ about: 'mark', id: markKey(mark), mark });
        clearPicked();
      }}
    >
      <Line>
        <b>{part.faces[a.face]}</b>
        <Choice label="Mark as" value={kind} options={kinds} onChange={(k) => choose(k as Kind)} />
        {needsLetters ? (
          <input
            className="words"
            aria-label={kind === 'size' ? 'ISO 286 class, or empty for deviations' : 'Letters'}
            value={text}
            maxLength={20}
            onChange={(e) => setLetters(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
          />
        ) : null}
      </Line>
      {kind === 'size' ? <Quiet>A class such as H7 or g6; empty it to give deviations.</Quiet> : null}
      {(kind === 'size' && !byClass) || kind === 'distance' ? (
        <Line>
          <Field label="Upper deviation" value={upper} unit="mm" digits={3} onSet={(v) => setUpper(v ?? 0)} />
          <Field label="Lower deviation" value={lower} unit="mm" digits={3} onSet={(v) => setLower(v ?? 0)} />
        </Line>
      ) : null}
      {kind === 'position' || kind === 'parallel' ? (
        <Field label="Tolerance" value={tolerance} unit="mm" digits={3} onSet={(v) => setTolerance(v ?? 0.05)} />
      ) : null}
      {kind === 'finish' ? (
        <Field label="Ra at most" value={tolerance} unit="µm" digits={1} onSet={(v) => setTolerance(v ?? 1.6)} />
      ) : null}
      {kind === 'size' ? (
        <Line>
          <Choice label="After machining" value={after} options={later} onChange={setAfter} />
          {['plating', 'anodising', 'grinding'].includes(after) ? (
            <Field
              label={after === 'grinding' ? 'Allowance on diameter' : 'Layer'}
              value={layer}
              unit="mm"
              digits={3}
              onSet={(v) => setLayer(v ?? 0)}
            />
          ) : null}
        </Line>
      ) : null}
      <Line>
        <Button $main $small type="submit" isDisabled={missing}>
          Mark it
        </Button>
        <Button $small onPress={clearPicked}>
          Let it be
        </Button>
        {missing ? <Quiet>Press the second face on the stage</Quiet> : null}
      </Line>
    </Box>
  );
}
