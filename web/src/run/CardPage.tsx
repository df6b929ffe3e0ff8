import { useEffect, useMemo, useRef, useState } from 'react';
import { Link as To, useParams } from 'react-router';
import styled from 'styled-components';
import type { Me, RunAct, RunSheet } from '../api/types';
import { UnitsContext, useInWords } from '../frame/settings';
import { placeOf } from '../model/run';
import { Sr } from '../parts/basics';
import { Modal } from '../parts/Modal';
import { MachineBar } from './Machine';
import { More } from './More';
import { Big } from './parts';
import { StepView } from './StepView';
import { useMachine } from './useMachine';
import { useRun } from './useRun';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
  font-size: 19px;
  header {
    flex: none;
    border-bottom: 1px solid ${(p) => p.theme.edge};
    background: ${(p) => p.theme.paper};
    padding: 6px 12px;
  }
  header .row {
    display: flex;
    align-items: center;
    gap: 8px;
    max-width: 820px;
    margin: 0 auto;
  }
  header .title {
    flex: 1;
    min-width: 0;
    line-height: 1.25;
  }
  header .title b {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  header button,
  header a.out {
    min-height: 48px;
    min-width: 48px;
    padding: 4px 12px;
    font-size: 16px;
  }
  header a.out {
    display: grid;
    place-content: center;
    color: inherit;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 6px;
    text-decoration: none;
  }
  .quiet {
    color: ${(p) => p.theme.quiet};
    font-size: 16px;
  }
  main {
    flex: 1;
    min-height: 0;
    overflow: auto;
    padding: 10px 16px 0;
    background: ${(p) => p.theme.card};
  }
  main > * {
    max-width: 780px;
    margin: 0 auto;
  }
  .bar {
    position: sticky;
    bottom: 0;
    display: flex;
    gap: 10px;
    padding: 12px 0 16px;
    background: ${(p) => p.theme.card};
    border-top: 1px solid ${(p) => p.theme.rule};
  }
  .bar > * {
    flex: 1;
  }
  textarea {
    width: 100%;
    font-size: 19px;
    padding: 8px 12px;
    border: 2px solid ${(p) => p.theme.edge};
    border-radius: 4px;
    background: ${(p) => p.theme.card};
  }
`;

const Progress = styled.div`
  display: flex;
  gap: 2px;
  max-width: 820px;
  margin: 6px auto 0;
  height: 8px;
  i {
    flex: 1;
    border: 1px solid ${(p) => p.theme.edge};
  }
  i.done {
    background: ${(p) => p.theme.blue};
    border-color: ${(p) => p.theme.blue};
  }
  i.here {
    background: ${(p) => p.theme.brass};
    border-color: ${(p) => p.theme.brass};
  }
  i.stopped {
    background: ${(p) => p.theme.red};
    border-color: ${(p) => p.theme.red};
  }
  i.first {
    margin-left: 6px;
  }
`;

const Steps = styled.ol`
  li button {
    display: grid;
    grid-template-columns: 34px 1fr auto;
    gap: 6px;
    width: 100%;
    min-height: 48px;
    align-items: center;
    text-align: left;
    border: 0;
    border-top: 1px solid ${(p) => p.theme.rule};
    background: none;
    padding: 4px 6px;
    font-size: 17px;
    cursor: pointer;
  }
  li button[aria-current] {
    background: ${(p) => p.theme.brassWash};
    font-weight: 600;
  }
  h3 {
    margin: 12px 0 4px;
  }
`;

const mark = { open: '○', done: '✓', doubt: '?', stopped: '■' } as const;

/** A run's card: one step at a time, for a phone or tablet beside the machine. */
export function CardPage({ me }: { me: Me }) {
  const { job: j, run: r } = useParams();
  const [job, run] = [Number(j), Number(r)];
  const at = useRun(job, run, me);
  if (!at.sheet || !at.state)
    return (
      <Page>
        <main>
          <h1>{at.trouble ?? (at.offline ? 'The house does not answer' : 'The card is coming')}</h1>
          {at.offline ? (
            <p>
              This card was not opened on this device before, so it is not kept here. It comes as soon as the house is
              back.
            </p>
          ) : null}
          <p>
            <To to="/">To the bench</To>
          </p>
        </main>
      </Page>
    );
  return <Opened key={run} me={me} job={job} at={{ ...at, sheet: at.sheet, state: at.state }} />;
}

interface Open {
  me: Me;
  job: number;
  at: ReturnType<typeof useRun> & { sheet: RunSheet; state: NonNullable<ReturnType<typeof useRun>['state']> };
}

function Opened({ job, at }: Open) {
  const units = at.sheet.units;
  const sheet = useInWords(units, at.sheet);
  const state = useInWords(units, at.state);
  const { card } = sheet;
  const [looked, setLooked] = useState<string | null>(null);
  const [list, setList] = useState(false);
  const [more, setMore] = useState(false);
  const next = state.next ?? null;
  // The step moves on by itself as long as nobody looks at another one.
  useEffect(() => setLooked(null), [next]);
  const here = looked ?? next;
  const k = card.steps.findIndex((s) => s.id === here);
  const step = card.steps[k];
  const place = step ? placeOf(card, step) : null;
  const done = state.steps.filter((s) => s.standing === 'done').length;
  const stops = useMemo(() => new Set(state.steps.filter((s) => s.standing === 'stopped').map((s) => s.id)), [state]);
  const machine = useMachine(job, sheet.brief.id, state.ended === null || state.ended === undefined);
  // What came out of a step is entered as soon as the house has the step.
  const toEnter = useRef<string[]>([]);
  const act = (a: RunAct) => {
    const way =
      a.kind === 'done' ? card.steps.find((s) => s.id === a.step)?.ways.find((w) => w.id === a.way) : undefined;
    if (machine.mine && a.kind === 'done' && way && [...way.asks, ...way.outcomes].some((x) => x.sets))
      toEnter.current.push(a.step);
    at.put(a);
  };
  const { ask } = machine;
  useEffect(() => {
    if (at.waits > 0 || at.offline) return;
    const ready = toEnter.current.filter((id) => state.steps.find((s) => s.id === id)?.standing === 'done');
    toEnter.current = [];
    void (async () => {
      for (const step of ready) await ask({ do: 'enter', step });
    })();
  }, [at.waits, at.offline, state, ask]);
  const where = at.waits > 0 ? `${at.waits} kept here, not sent yet` : at.offline ? 'the house is away' : 'saved';
  return (
    <UnitsContext value={units}>
      <Page data-run={sheet.brief.id} data-next={next ?? ''} data-waits={at.waits}>
        <header>
          <div className="row">
            <To className="out" to={`/jobs/${job}/run`} aria-label="To the job">
              ←
            </To>
            <div className="title">
              <b>
                {card.title}, piece {sheet.brief.piece}
              </b>
              <span className="quiet">
                {place?.setup ? `${place.setup}, ` : ''}
                {step ? `step ${k + 1} of ${card.steps.length}` : `${done} of ${card.steps.length} done`} ·{' '}
                <span role="status" data-saved={at.waits === 0 && !at.offline}>
                  {where}
                </span>
              </span>
            </div>
            <Big onPress={() => setList(true)}>
              All<Sr> steps</Sr>
            </Big>
            <Big onPress={() => setMore(true)}>More</Big>
          </div>
          <Progress aria-hidden>
            {card.steps.map((s, n) => (
              <i
                key={s.id}
                className={`${s.id === here ? 'here' : stops.has(s.id) ? 'stopped' : state.steps[n]?.standing === 'done' ? 'done' : ''} ${n > 0 && card.steps[n - 1]?.setup !== s.setup ? 'first' : ''}`}
              />
            ))}
          </Progress>
        </header>
        <MachineBar at={machine} card={card} onAct={act} />
        <main>
          {sheet.stale ? (
            <p className="quiet">
              The job has been planned otherwise since this card was made. The card stays as it is; begin a new run for
              the new plan.
            </p>
          ) : null}
          {at.keeps ? null : (
            <p role="alert">
              This browser keeps nothing: what is typed while the house is away is lost when the page is closed.
            </p>
          )}
          {k === 0 && !window.isSecureContext ? (
            <p className="quiet">
              Over plain http this card cannot be opened again while the network is away: browsers keep a page over
              https only. Open the house by https for that. What is typed is kept here all the same.
            </p>
          ) : null}
          {step ? (
            <StepView
              key={step.id}
              job={job}
              run={sheet.brief.id}
              card={card}
              step={step}
              state={state}
              now={step.id === next}
              onAct={act}
              onNext={() => setLooked(null)}
              machine={machine}
            />
          ) : (
            <article data-step="end">
              {state.ended ? (
                <>
                  <h1 style={{ fontSize: 28 }}>{state.ended.good ? 'A good piece' : 'This run was broken off'}</h1>
                  <p>
                    By {state.ended.who}, {new Date(state.ended.at_ms).toLocaleString()}
                    {state.ended.cause ? `: ${state.ended.cause}` : ''}
                  </p>
                  <div className="bar">
                    <To className="out" to={`/jobs/${job}/log`}>
                      To the log
                    </To>
                  </div>
                </>
              ) : (
                <>
                  <h1 style={{ fontSize: 28 }}>All is done. Is it a good piece?</h1>
                  <div className="bar">
                    <Big $stop onPress={() => setMore(true)}>
                      No: scrap
                    </Big>
                    <Big $main onPress={() => at.put({ kind: 'ended', good: true, cause: '' })}>
                      Yes, it is good
                    </Big>
                  </div>
                </>
              )}
            </article>
          )}
        </main>
        <Modal glove title="All steps" open={list} onClose={() => setList(false)}>
          <Steps>
            {card.steps.map((s, n) => (
              <li key={s.id}>
                {s.setup && card.steps[n - 1]?.setup !== s.setup ? <h3>{s.setup}</h3> : null}
                <button
                  aria-current={s.id === here ? 'step' : undefined}
                  onClick={() => {
                    setLooked(s.id === next ? null : s.id);
                    setList(false);
                  }}
                >
                  <span>
                    {mark[state.steps[n]?.standing ?? 'open']}
                    <Sr>{state.steps[n]?.standing}</Sr>
                  </span>
                  <span>{s.title}</span>
                  <span className="quiet">{s.minutes ? `${s.minutes.toFixed(1)} min` : ''}</span>
                </button>
              </li>
            ))}
          </Steps>
        </Modal>
        <More
          open={more}
          onClose={() => setMore(false)}
          card={card}
          values={state.values}
          ended={state.ended !== null}
          onAct={at.put}
        />
      </Page>
    </UnitsContext>
  );
}
