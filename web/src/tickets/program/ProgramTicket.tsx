import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { api, languageQuery } from '../../api';
import { useJob } from '../../frame/job';
import { refuse, tell, useStore, useUnits } from '../../frame/settings';
import { atLine, stepAt } from '../../model/strip';
import { say } from '../../model/units';
import { Button, Head, Line, Link, Quiet, Rows, Section } from '../../parts/basics';
import { ProgramText } from '../../parts/ProgramText';
import { Edited } from './Edited';
import { WrittenFor } from './WrittenFor';
import { words } from './words';

/** The posted text with the line of the moment, and taking it to the machine. */
export function ProgramTicket() {
  const { id, sheet, state, strip, cursor } = useJob();
  const { units } = useUnits();
  const language = useQuery(languageQuery);
  const client = useQueryClient();
  const at = useStore(cursor);
  const side = sheet.sides[at.setup];
  const setup = strip?.setups[at.setup];
  const lines = useMemo(() => side?.program.replace(/\n$/, '').split('\n') ?? [], [side]);
  const found = useMemo(
    () =>
      new Set(
        sheet.proof.findings
          .filter((f) => f.setup === side?.name && f.line && f.severity !== 'note')
          .map((f) => f.line),
      ),
    [sheet.proof.findings, side],
  );
  const edited = useMemo(() => new Set(side?.edited?.changes.lines ?? []), [side]);
  const k = setup ? stepAt(setup, at.at) : 0;
  const now = setup?.line[k] ?? 1;

  const seek = (line: number) =>
    setup && cursor.set({ setup: at.setup, at: atLine(setup, Math.min(lines.length, Math.max(1, line))) });
  const step = (by: number) => {
    // Lines that take no time are passed over.
    const next = by > 0 ? setup?.line.find((l) => l >= now + by) : setup?.line.findLast((l) => l <= now + by);
    seek(next ?? now + by);
  };
  const take = async (k: number) => {
    try {
      const name = await api.take('POST', `/api/jobs/${id}/issue/${k}`);
      tell('done', `${name} was taken and written down as revision ${state.card.revision}`);
    } catch (e) {
      refuse(e);
    }
    await client.invalidateQueries({ queryKey: ['job', id] });
  };
  const paper = () =>
    api.take('GET', `/api/jobs/${id}/export/setup-sheet-${units === 'inch' ? 'letter' : 'a4'}.pdf`).catch(refuse);
  const ready = state.fresh && sheet.proof.passed;
  return (
    <>
      <Head style={{ alignItems: 'center' }}>
        <h1>
          {side ? side.name.replace('side', 'Side') : ''}, {say(lines.length, '', units, 0)} lines
        </h1>
        <Line>
          {sheet.sides.map((s, n) => (
            <Button
              key={s.name}
              $small
              $main={n === at.setup}
              aria-pressed={n === at.setup}
              onPress={() => cursor.set({ setup: n, at: 0 })}
            >
              {s.name.replace('side', 'Side')}
            </Button>
          ))}
        </Line>
      </Head>
      <ProgramText lines={lines} now={now} onLine={seek} onStep={step} found={found} edited={edited} />
      <p aria-live="polite" style={{ minHeight: 44, marginTop: 6 }}>
        <b>Line {now}:</b> {words(lines[now - 1] ?? '', language.data ?? [], units, sheet.control)}
      </p>
      <WrittenFor />
      {side ? <Edited key={side.name} side={side} /> : null}
      <Section aria-label="Programs for the machine">
        <Line>
          {sheet.sides.map((s, n) => (
            <Button key={s.name} $main isDisabled={!ready} onPress={() => take(n)}>
              Download {s.name}
            </Button>
          ))}
          {state.fresh ? <Button onPress={() => void paper()}>Setup sheet (PDF)</Button> : null}
          {ready ? null : (
            <Quiet>{state.fresh ? 'Stops forbid cutting: see Proof.' : 'It is being worked out again.'}</Quiet>
          )}
        </Line>
        {state.issued.length > 0 ? (
          <Rows style={{ marginTop: 8 }}>
            {state.issued.map((i) => (
              <li key={i.id}>
                <Link onPress={() => void api.take('GET', `/api/jobs/${id}/issued/${i.id}`).catch(refuse)}>
                  {i.file}
                </Link>
                , revision {i.revision}, taken by {i.who} on {i.at.replace('T', ' ').slice(0, 16)} UTC
                {i.revision === state.card.revision ? '' : ': older than the plan now'}
              </li>
            ))}
          </Rows>
        ) : (
          <p>
            <Quiet>No program has left yet. Each one taken is kept here word for word.</Quiet>
          </p>
        )}
      </Section>
    </>
  );
}
