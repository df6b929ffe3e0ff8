import { useState } from 'react';
import styled from 'styled-components';
import type { MachineCard, RunAct } from '../api/types';
import { themeName, useStore, useUnits } from '../frame/settings';
import { lengthKey } from '../model/run';
import { read, say } from '../model/units';
import { Choice } from '../parts/Choice';
import { Modal } from '../parts/Modal';
import { Big } from './parts';

const Form = styled.form`
  margin: 4px 0 18px;
  display: grid;
  gap: 8px;
  font-size: 17px;
  textarea,
  input {
    font-size: 19px;
    padding: 8px 12px;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 4px;
    background: ${(p) => p.theme.card};
    width: 100%;
    min-height: 52px;
  }
  button {
    min-height: 52px;
  }
  h3 {
    font-size: 18px;
  }
`;

interface Props {
  open: boolean;
  onClose: () => void;
  card: MachineCard;
  values: Readonly<Record<string, number>>;
  ended: boolean;
  onAct: (act: RunAct) => void;
}

/** What happens beside the steps: a note, another cutter, the end before its time. */
export function More({ open, onClose, card, values, ended, onAct }: Props) {
  const { units } = useUnits();
  const theme = useStore(themeName);
  const [note, setNote] = useState('');
  const [tool, setTool] = useState(String(card.tools[0]?.number ?? ''));
  const [length, setLength] = useState('');
  const [why, setWhy] = useState('');
  const [cause, setCause] = useState('');
  const typed = read(length, 'mm', units);
  const t = card.tools.find((x) => String(x.number) === tool);
  const was = t ? (values[lengthKey(t.number)] ?? t.length_mm) : 0;
  const give = (act: RunAct) => {
    onAct(act);
    setNote('');
    setLength('');
    setWhy('');
    setCause('');
    onClose();
  };
  const keep = (e: React.KeyboardEvent) => e.stopPropagation();
  return (
    <Modal glove title="Beside the steps" open={open} onClose={onClose}>
      <Big
        style={{ width: '100%', marginBottom: 14 }}
        onPress={() => themeName.set(theme === 'desk' ? 'machine' : 'desk')}
      >
        {theme === 'desk' ? 'Dark screen' : 'Light screen'}
      </Big>
      {ended ? null : (
        <>
          <Form
            aria-label="Note"
            onSubmit={(e) => {
              e.preventDefault();
              give({ kind: 'note', text: note.trim() });
            }}
          >
            <h3>Write something down</h3>
            <textarea
              aria-label="Note"
              rows={2}
              maxLength={1000}
              value={note}
              onChange={(e) => setNote(e.target.value)}
              onKeyDown={keep}
            />
            <Big type="submit" isDisabled={note.trim() === ''}>
              Keep the note
            </Big>
          </Form>
          <Form
            aria-label="Another cutter"
            onSubmit={(e) => {
              e.preventDefault();
              if (t && typed.kind === 'number')
                give({ kind: 'cutter', tool: t.number, length_mm: typed.value, why: why.trim() });
            }}
          >
            <h3>A cutter broke or was changed</h3>
            <Choice
              label="Cutter"
              value={tool}
              options={card.tools.map((x) => ({ id: String(x.number), words: `T${x.number} ${x.words}` }))}
              onChange={setTool}
            />
            <label>
              Its length now (was {say(was, 'mm', units, 3)})
              <input inputMode="decimal" value={length} onChange={(e) => setLength(e.target.value)} onKeyDown={keep} />
            </label>
            {typed.kind === 'wrong' ? <p role="alert">{typed.why}</p> : null}
            <label>
              What happened
              <input maxLength={1000} value={why} onChange={(e) => setWhy(e.target.value)} onKeyDown={keep} />
            </label>
            <p>
              Enter the length in the control. Look at the last place that it cut before you go on from the start of its
              step.
            </p>
            <Big type="submit" isDisabled={typed.kind !== 'number' || why.trim() === ''}>
              It is changed
            </Big>
          </Form>
          <Form
            aria-label="Break off"
            onSubmit={(e) => {
              e.preventDefault();
              give({ kind: 'ended', good: false, cause: cause.trim() });
            }}
          >
            <h3>Scrap, or broken off</h3>
            <label>
              Why
              <input maxLength={1000} value={cause} onChange={(e) => setCause(e.target.value)} onKeyDown={keep} />
            </label>
            <Big $stop type="submit" isDisabled={cause.trim() === ''}>
              End this run
            </Big>
          </Form>
        </>
      )}
    </Modal>
  );
}
