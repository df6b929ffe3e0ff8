import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as To, useNavigate } from 'react-router';
import { api, eyeQuery } from '../../api';
import type { RoundCard } from '../../api/types';
import { useJob } from '../../frame/job';
import { refuse, useUnits } from '../../frame/settings';
import { verdict, wrongWords } from '../../model/round';
import { say } from '../../model/units';
import { Button, Head, Line, Quiet, Rows, Section } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';

/** So many of one's own rounds stand on a ticket. */
const SHOWN = 6;

/** A fault is hidden in this plan's text or card, to be found by reading; one's own score. */
export function Trainer() {
  const { id, state, sheet, me } = useJob();
  const { units } = useUnits();
  const eye = useQuery(eyeQuery);
  const client = useQueryClient();
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const ready = state.fresh && sheet.proof.passed;
  const open = eye.data?.list.find((r) => r.job === id && r.ended === null);
  const begin = async () => {
    setBusy(true);
    try {
      const r = await api.post<RoundCard>(`/api/jobs/${id}/rounds`);
      await client.invalidateQueries({ queryKey: ['eye'] });
      void navigate(`/train/${id}/${r.id}`);
    } catch (e) {
      refuse(e);
    }
    setBusy(false);
  };
  const mine = eye.data?.list.filter((r) => r.job === id && r.ended !== null && r.why === null) ?? [];
  const missed = eye.data?.sorts.filter(([, of, whole]) => whole < of) ?? [];
  return (
    <Section aria-label="Trainer">
      <Head style={{ alignItems: 'center' }}>
        <h2>Find the fault</h2>
        <Button isDisabled={!ready || busy} onPress={() => void begin()}>
          {open ? 'Go on with the open round' : 'Hide one for me'}
        </Button>
      </Head>
      <p>
        <Quiet>
          {ready
            ? 'One fault is put into a copy of a program or of its card, and proved to be one. Read card, text and strip, and say what is wrong.'
            : 'A fault is hidden in a plan that is proved and as it stands.'}{' '}
          Only you, {me.name}, see how you did.
        </Quiet>
      </p>
      {eye.error ? <p role="alert">{eye.error.message}</p> : null}
      {eye.data && eye.data.rounds > 0 ? (
        <p data-eye={eye.data.rounds}>
          {eye.data.rounds} round{eye.data.rounds > 1 ? 's' : ''} on all jobs, <b>{eye.data.whole}</b> seen whole,{' '}
          <b>{say(eye.data.points, '', units, 0)}</b> of 100 points in the mean.
          {missed.length > 0 ? (
            <>
              {' '}
              To look at again:{' '}
              {missed.map(([w, of, whole]) => `${wrongWords(w).toLowerCase()} (${whole} of ${of})`).join(', ')}.
            </>
          ) : null}
        </p>
      ) : null}
      <Rows>
        {mine.slice(0, SHOWN).map((r) => (
          <li key={r.id}>
            <Line>
              <Stamp
                kind={r.marks?.points === 100 ? 'proved' : r.marks?.points ? 'open' : 'stop'}
                words={`${r.marks?.points ?? 0}`}
              />
              <span style={{ flex: 1 }}>
                {r.truth ? wrongWords(r.truth.wrong) : ''}
                {r.marks ? <Quiet>: {verdict(r.marks, r.said).toLowerCase()}</Quiet> : null}
              </span>
              <To to={`/train/${id}/${r.id}`}>{r.asked.slice(0, 10)}</To>
            </Line>
          </li>
        ))}
      </Rows>
    </Section>
  );
}
