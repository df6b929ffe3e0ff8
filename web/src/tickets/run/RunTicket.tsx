import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, runQuery, runsQuery } from '../../api';
import type { RunCard, RunSheet } from '../../api/types';
import { useJob } from '../../frame/job';
import { refuse, useInWords, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';
import { Follow } from './Follow';

const mark = { open: '○', done: '✓', doubt: '? ', stopped: '■' } as const;

/** At the machine: runs of this job, where each stands, and the way to its card. */
export function RunTicket() {
  const { id, state, sheet } = useJob();
  const client = useQueryClient();
  const navigate = useNavigate();
  const runs = useQuery(runsQuery(id));
  const [busy, setBusy] = useState(false);
  const open = runs.data?.filter((r) => r.ended === null) ?? [];
  const ready = state.fresh && sheet.proof.passed;
  const begin = async () => {
    setBusy(true);
    try {
      const r = await api.post<RunSheet>(`/api/jobs/${id}/runs`);
      await client.invalidateQueries({ queryKey: ['runs', id] });
      await client.invalidateQueries({ queryKey: ['job', id] });
      void navigate(`/run/${id}/${r.brief.id}`);
    } catch (e) {
      refuse(e);
    }
    setBusy(false);
  };
  return (
    <>
      <Head style={{ alignItems: 'center' }}>
        <h1>At the machine</h1>
        <Button $main={open.length === 0} isDisabled={!ready || busy} onPress={() => void begin()}>
          {busy ? 'Making the card …' : runs.data?.length ? 'Begin the next piece' : 'Begin a run'}
        </Button>
      </Head>
      {ready ? null : (
        <p>
          <Quiet>
            {state.fresh
              ? 'Stops forbid cutting: see Proof.'
              : 'The plan is being worked out again; a run begins from a proved one.'}
          </Quiet>
        </p>
      )}
      {runs.error ? <p role="alert">{runs.error.message}</p> : null}
      {runs.data?.length === 0 ? (
        <p>
          The run card leads through {sheet.sides.length + sheet.made.length} programs one step at a time: stock,
          cutters, zeros, loading, a dry run, the first cut, each stop, sizes. Readings are typed and offsets come out.
          Its programs are kept word for word. It opens on a phone or tablet beside the machine.
        </p>
      ) : null}
      {open.map((r) => (
        <Open key={r.id} job={id} run={r} />
      ))}
      {runs.data && runs.data.length > open.length ? (
        <Section aria-label="Runs that are over">
          <h2>Over</h2>
          <Rows>
            {runs.data
              .filter((r) => r.ended !== null)
              .map((r) => (
                <li key={r.id}>
                  <Line>
                    Piece {r.piece}, {r.began.slice(0, 10)}, {r.who}
                    <Stamp kind={r.good ? 'decided' : 'stop'} words={r.good ? 'good' : 'scrap'} />
                    {r.cause}
                    <Button $small style={{ marginLeft: 'auto' }} onPress={() => void navigate(`/run/${id}/${r.id}`)}>
                      Its card
                    </Button>
                  </Line>
                </li>
              ))}
          </Rows>
        </Section>
      ) : null}
    </>
  );
}

function Open({ job, run }: { job: number; run: RunCard }) {
  const { units } = useUnits();
  const navigate = useNavigate();
  const told = useInWords(units, useQuery(runQuery(job, run.id, run.done[0], run.notes.length)).data);
  const path = `/run/${job}/${run.id}`;
  const found = told?.card.steps.flatMap((s, k) => {
    const st = told.state.steps[k];
    const way = s.ways.find((w) => w.id === st?.answer?.way);
    return way && st?.answer && (s.kind === 'zero' || s.kind === 'first_cut' || s.kind === 'measure')
      ? way.outcomes.flatMap((o) => {
          const j = st.answer?.judged.find((x) => x.id === o.id);
          return j ? [{ key: `${s.id}/${o.id}`, words: `${s.setup}: ${o.label}`, value: j.value, unit: o.unit }] : [];
        })
      : [];
  });
  return (
    <Section aria-label={`Piece ${run.piece}`}>
      <Head style={{ alignItems: 'center' }}>
        <h2>
          Piece {run.piece}: {run.done[0]} of {run.done[1]} steps
        </h2>
        <Button $main onPress={() => void navigate(path)}>
          Open the card
        </Button>
      </Head>
      <p>
        Next: <b>{run.next ?? 'say whether it is good'}</b>
      </p>
      <p>
        <Quiet>
          Begun by {run.who}, {run.began.replace('T', ' ').slice(0, 16)} UTC. On a phone or tablet: {location.origin}
          {path}
        </Quiet>
      </p>
      <Follow run={run.id} card={told?.card} stale={told?.stale ?? true} />
      {told?.stale ? <p>The plan has changed since: this card stays as it was made.</p> : null}
      {found && found.length > 0 ? (
        <Rows style={{ marginTop: 8 }}>
          {found.map((f) => (
            <li key={f.key}>
              <Line style={{ justifyContent: 'space-between' }}>
                <span>{f.words}</span>
                <b>{say(f.value, f.unit, units, 3)}</b>
              </Line>
            </li>
          ))}
        </Rows>
      ) : null}
      {told ? (
        <details style={{ marginTop: 10 }}>
          <summary>All steps</summary>
          <Rows>
            {told.card.steps.map((s, k) => (
              <li key={s.id}>
                {mark[told.state.steps[k]?.standing ?? 'open']} {s.setup ? `${s.setup}: ` : ''}
                {s.title}
              </li>
            ))}
          </Rows>
        </details>
      ) : null}
    </Section>
  );
}
