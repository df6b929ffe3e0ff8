import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link as To, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { api, languageQuery, meshQuery, roundHistoryQuery, roundQuery } from '../api';
import type { Lesson, Me, RoundCard, RoundSheet, Wrong } from '../api/types';
import { refuse, Store, UnitsContext, useInWords, useStore } from '../frame/settings';
import { ProofStrip } from '../frame/ProofStrip';
import { useShortcuts } from '../frame/shortcuts';
import { Top } from '../frame/Top';
import { placeWords, saidOf, WRONGS, type Place } from '../model/round';
import { atLine, beside, stepAt, type Cursor } from '../model/strip';
import { Button, Line, Quiet } from '../parts/basics';
import { Choice } from '../parts/Choice';
import { ProgramText } from '../parts/ProgramText';
import { Stage } from '../stage/Stage';
import type { Play } from '../stage/scene';
import { words } from '../tickets/program/words';
import { LessonCard } from './LessonCard';
import { Outcome } from './Outcome';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
  main {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.1fr) minmax(0, 1fr);
  }
  .pane {
    min-height: 0;
    min-width: 0;
    overflow: auto;
    background: ${(p) => p.theme.card};
    border-left: 1px solid ${(p) => p.theme.edge};
    padding: 12px 16px;
  }
  .text {
    display: flex;
    flex-direction: column;
  }
  .say {
    flex: none;
    border-top: 1px solid ${(p) => p.theme.edge};
    background: ${(p) => p.theme.paper};
    padding: 8px 16px;
  }
  .empty {
    grid-column: 1 / -1;
    display: grid;
    place-content: center;
    justify-items: center;
    gap: 12px;
    max-width: 640px;
    margin: auto;
    text-align: center;
  }
`;

/** A round of the trainer: card, text and strip with a fault hidden in them, and what one says of it. */
export function TrainPage({ me }: { me: Me }) {
  const { job: j, round: r } = useParams();
  const [job, id] = [Number(j), Number(r)];
  const round = useQuery(roundQuery(job, id));
  const title = round.data ? round.data.brief.title : 'Trainer';
  const told = round.error?.message ?? round.data?.brief.why;
  const lesson = round.data?.lesson;
  if (round.data?.brief.ready && lesson) return <Read key={id} me={me} job={job} sheet={round.data} lesson={lesson} />;
  return (
    <Page>
      <Top me={me} title={title} words="Find the fault" />
      <main>
        <div className="empty" role="status">
          <h1>{told ?? (round.data?.brief.ready ? 'This round was tidied away' : 'A fault is being hidden')}</h1>
          <p>
            {told || round.data?.brief.ready
              ? 'Begin another one from the Log ticket.'
              : 'One is put into the text or the card and proved to be one; in some rounds there is none. It takes some ten seconds.'}
          </p>
          <To to={`/jobs/${job}/log`}>To the job</To>
        </div>
      </main>
    </Page>
  );
}

function Read({ me, job, sheet, lesson: said }: { me: Me; job: number; sheet: RoundSheet; lesson: Lesson }) {
  const { units } = sheet;
  const brief = useInWords<RoundCard>(units, sheet.brief);
  const lesson = useInWords<Lesson>(units, said);
  const client = useQueryClient();
  const navigate = useNavigate();
  const language = useQuery(languageQuery);
  const mesh = useQuery(meshQuery(job, 'trainer'));
  const history = useQuery(roundHistoryQuery(job, brief.id));
  const [cursor] = useState(() => new Store<Cursor>({ setup: 0, at: 0 }));
  const at = useStore(cursor);
  const [place, setPlace] = useState<Place>(null);
  const [wrong, setWrong] = useState<Wrong | ''>('');
  const [picked, setPicked] = useState<{ line: number; at: number } | null>(null);
  const [busy, setBusy] = useState(false);
  const over = brief.ended !== null;
  const setup = lesson.strip.setups[0];
  const lines = useMemo(() => lesson.side.program.replace(/\n$/, '').split('\n'), [lesson.side.program]);
  // Lines that take no time have no moment of their own: the one that was pointed at stays.
  const now = picked && picked.at === at.at ? picked.line : (setup?.line[stepAt(setup, at.at)] ?? 1);
  const toLine = (line: number) => {
    const n = Math.min(lines.length, Math.max(1, line));
    const moment = setup ? atLine(setup, n) : 0;
    cursor.set({ setup: 0, at: moment });
    setPicked({ line: n, at: moment });
    return n;
  };
  const point = (line: number) => {
    const n = toLine(line);
    if (!over) setPlace({ line: n });
  };
  const play = useMemo<Play | null>(
    () =>
      setup && history.data
        ? { kind: 'cut', side: lesson.side, history: history.data, strip: setup, lines: undefined }
        : null,
    [setup, history.data, lesson.side],
  );
  const keyed = useMemo(() => {
    const move = (by: 1 | -1, what: 'line' | 'step') => () => {
      setPicked(null);
      cursor.set(beside(lesson.strip, cursor.get(), by, what));
    };
    return { ',': move(-1, 'line'), '.': move(1, 'line'), '[': move(-1, 'step'), ']': move(1, 'step') };
  }, [cursor, lesson.strip]);
  useShortcuts(keyed);

  const answer = async (given: boolean) => {
    setBusy(true);
    try {
      const body = { said: given && wrong !== '' ? saidOf(wrong, place) : null };
      const told = await api.post<RoundSheet>(`/api/jobs/${job}/rounds/${brief.id}/answer`, body);
      client.setQueryData(['round', job, brief.id], told);
      const first = told.brief.truth?.lines?.[0];
      if (first) toLine(first);
      await client.invalidateQueries({ queryKey: ['eye'] });
    } catch (e) {
      refuse(e);
    }
    setBusy(false);
  };
  const another = async () => {
    setBusy(true);
    try {
      const r = await api.post<RoundCard>(`/api/jobs/${job}/rounds`);
      void navigate(`/train/${job}/${r.id}`);
    } catch (e) {
      refuse(e);
    }
    setBusy(false);
  };
  const truth = brief.truth;
  const shown = useMemo(() => {
    const [a, b] = truth?.lines ?? [1, 0];
    return new Set(Array.from({ length: Math.max(0, b - a + 1) }, (_, k) => a + k));
  }, [truth]);
  const placed = wrong === 'nothing' || place !== null;
  const name = lesson.side.name.replace('side', 'Side');
  return (
    <UnitsContext value={units}>
      <Page data-round={brief.id} data-over={over}>
        <Top me={me} title={brief.title} words={`Find the fault: ${lesson.side.name}`}>
          <To to={`/jobs/${job}/log`}>To the job</To>
        </Top>
        <main>
          <Stage
            play={play}
            mesh={mesh.data}
            places={[]}
            cursor={cursor}
            label="Stock as this text cuts it, at the moment of the strip"
          />
          <section className="pane text" aria-label="Text" tabIndex={0}>
            <h1 style={{ fontSize: 18 }}>The text</h1>
            <ProgramText
              lines={lines}
              now={now}
              onLine={point}
              onStep={(by) => point(now + by)}
              found={shown}
              height="auto"
            />
            <p aria-live="polite" style={{ minHeight: 62, margin: '6px 0 0' }}>
              <b>Line {now}:</b> {lines[now - 1]}
              <br />
              <Quiet>{words(lines[now - 1] ?? '', language.data ?? [], units, lesson.control)}</Quiet>
            </p>
          </section>
          <section className="pane" aria-label="Card" tabIndex={0}>
            <LessonCard
              lesson={lesson}
              pointed={place && 'step' in place ? place.step : null}
              truth={truth?.step ?? null}
              onPoint={over ? undefined : (step) => setPlace({ step })}
            />
          </section>
        </main>
        <section className="say" aria-label={over ? 'What it was' : 'What is wrong?'}>
          {over ? (
            <Outcome brief={brief} onLine={toLine} onAnother={() => void another()} busy={busy} />
          ) : (
            <Line style={{ alignItems: 'center', gap: 12 }}>
              <b>What is wrong?</b>
              <Choice
                label="What is wrong?"
                value={wrong}
                options={[{ id: '', words: 'choose' }, ...WRONGS]}
                onChange={(w) => setWrong(WRONGS.find((x) => x.id === w)?.id ?? '')}
              />
              <span data-place style={{ minWidth: 240 }}>
                {wrong === 'nothing' ? (
                  <Quiet>All is as it should be</Quiet>
                ) : place ? (
                  <>
                    at <b>{placeWords(place)}</b>
                  </>
                ) : (
                  <Quiet>Point at a line, or at a step of the card</Quiet>
                )}
              </span>
              <Button $main isDisabled={busy || wrong === '' || !placed} onPress={() => void answer(true)}>
                That is it
              </Button>
              <Button isDisabled={busy} onPress={() => void answer(false)}>
                Give up
              </Button>
              <Quiet style={{ marginLeft: 'auto' }}>
                One fault, in the text or on the card; or none. One answer. Only you see it.
              </Quiet>
            </Line>
          )}
        </section>
        <section aria-label="Proof strip">
          <ProofStrip strip={lesson.strip} cursor={cursor} findings={[]} names={[name]} />
        </section>
      </Page>
    </UnitsContext>
  );
}
