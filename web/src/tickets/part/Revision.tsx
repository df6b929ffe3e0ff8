import { FileTrigger } from 'react-aria-components';
import type { Fate } from '../../api/types';
import { usePart } from '../../frame/part';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';

const words: Record<Fate, string> = {
  new: '+ new',
  gone: '− gone',
  resized: '↔ resized',
  moved: '→ moved',
  unchanged: '= unchanged',
};

/** A new revision of the model: what it changed against the one before. */
export function Revision() {
  const { part, revise, over, setOver, setFaces } = usePart();
  const r = part.revised;
  const changed = r?.changes.filter((c) => c.fate !== 'unchanged') ?? [];
  const same = (r?.changes.length ?? 0) - changed.length;
  return (
    <Section aria-label="Revision">
      <h2>{r ? `Revision ${r.file}` : 'Revision'}</h2>
      {r ? (
        <>
          <Line>
            <span>
              {changed.length === 0 ? 'No feature changed' : `${changed.length} changed`}, {same} unchanged
            </span>
            <Button $small aria-pressed={over} $main={over} onPress={() => setOver(!over)}>
              Show the old one over it
            </Button>
          </Line>
          <Rows>
            {changed.map((c) => (
              <li key={`${c.fate}${c.before}${c.after}`} data-change={c.fate}>
                <Line>
                  <b>{words[c.fate]}</b> <span>{c.words}</span>
                  {c.faces.length > 0 ? <Link onPress={() => setFaces(c.faces)}>Show</Link> : null}
                </Line>
              </li>
            ))}
          </Rows>
        </>
      ) : (
        <p>
          <Quiet>A new file of this part keeps every decision that still holds, and tells what changed.</Quiet>
        </p>
      )}
      <FileTrigger
        acceptedFileTypes={['.step', '.stp', '.stl', '.3mf', '.dxf']}
        onSelect={(l) => {
          const f = l?.[0];
          if (f) revise(f);
        }}
      >
        <Button $small>Upload a new revision</Button>
      </FileTrigger>
    </Section>
  );
}
