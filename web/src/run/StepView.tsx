import { useEffect, useMemo, useRef, useState } from 'react';
import styled from 'styled-components';
import type { MachineCard, RunAct, RunCheck, RunJudged, RunStanding, RunStep, RunWay } from '../api/types';
import { useUnits } from '../frame/settings';
import { judge, unsaid, workOut } from '../model/run';
import { say, show } from '../model/units';
import { BrokenOff } from './BrokenOff';
import { MachineActs } from './MachineActs';
import type { AtMachine } from './useMachine';
import { Asked, typedOf } from './Asked';
import { Big, Caution, Told } from './parts';

const Box = styled.article`
  min-height: 100%;
  display: flex;
  flex-direction: column;
  .bar {
    margin-top: auto;
  }
  h1 {
    font-size: 28px;
    line-height: 1.2;
    margin: 4px 0 10px;
  }
  ol {
    counter-reset: n;
    margin: 0 0 12px;
  }
  ol > li {
    counter-increment: n;
    position: relative;
    padding: 5px 0 5px 34px;
  }
  ol > li::before {
    content: counter(n);
    position: absolute;
    left: 0;
    top: 6px;
    width: 24px;
    height: 24px;
    line-height: 23px;
    text-align: center;
    border: 1.5px solid ${(p) => p.theme.blue};
    color: ${(p) => p.theme.blue};
    border-radius: 50%;
    font-size: 15px;
    font-weight: 600;
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    margin: 12px 0 6px;
  }
  .drawn {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    margin: 6px 0 10px;
  }
  .drawn figure {
    flex: 1 1 260px;
    margin: 0;
  }
  .drawn img {
    width: 100%;
    max-height: 240px;
    object-fit: contain;
    background: #fdfcf7;
    border: 1px solid ${(p) => p.theme.rule};
  }
  summary {
    cursor: pointer;
    padding: 4px 0;
  }
  .quiet {
    color: ${(p) => p.theme.quiet};
    font-size: 16px;
  }
`;

const Out = styled.div<{ $verdict: string }>`
  border-left: 6px solid
    ${(p) => (p.$verdict === 'stop' ? p.theme.red : p.$verdict === 'doubt' ? p.theme.amber : p.theme.blue)};
  background: ${(p) =>
    p.$verdict === 'stop' ? p.theme.redWash : p.$verdict === 'doubt' ? p.theme.amberWash : p.theme.blueWash};
  padding: 8px 14px;
  margin: 10px 0;
  .value {
    font-size: 30px;
    font-weight: 600;
    line-height: 1.2;
  }
`;

const limits = (c: RunCheck, unit: string, units: 'mm' | 'inch'): string => {
  const n = (v: number) => say(v, unit, units, 3);
  const range = ([a, b]: readonly [number | null, number | null]) =>
    a !== null && b !== null
      ? `${n(a)} to ${n(b)}`
      : a !== null
        ? `at least ${n(a)}`
        : b !== null
          ? `at most ${n(b)}`
          : '';
  const must = range(c.must);
  const should = range(c.should);
  if (must && should) return `Expected ${should}; the card stops outside ${must}`;
  return must ? `Must be ${must}` : should ? `Expected ${should}` : '';
};

interface Props {
  job: number;
  run: number;
  card: MachineCard;
  step: RunStep;
  state: RunStanding;
  /** It is the one to be done now. */
  now: boolean;
  onAct: (act: RunAct) => void;
  /** Look at the step that is next. */
  onNext: () => void;
  machine: AtMachine;
}

/** One step: what to do, what to type, what comes out, and whether it lets the card go on. */
export function StepView({ job, run, card, step, state, now, onAct, onNext, machine }: Props) {
  const { units } = useUnits();
  const stands = state.steps.find((s) => s.id === step.id);
  const answer = stands?.answer ?? null;
  const done = stands?.standing === 'done';
  const [wayId, setWayId] = useState(answer?.way ?? step.ways[0]?.id ?? '');
  const way: RunWay | undefined = step.ways.find((w) => w.id === wayId) ?? step.ways[0];
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [note, setNote] = useState('');
  const [tried, setTried] = useState(false);
  const head = useRef<HTMLHeadingElement>(null);
  useEffect(() => head.current?.focus(), [step.id]);

  const typed = useMemo(() => {
    const out: Record<string, number> = {};
    for (const a of way?.asks ?? []) {
      const t = typedOf(a, texts[a.id] ?? '', units);
      if (t.kind === 'number') out[a.id] = t.value;
    }
    return out;
  }, [way, texts, units]);
  const wrong = (way?.asks ?? []).some((a) => typedOf(a, texts[a.id] ?? '', units).kind === 'wrong');
  const said = Object.keys(typed).length > 0;
  const worked = useMemo(
    () => (way ? workOut(way, typed, state.values) : { judged: [], missing: null }),
    [way, typed, state.values],
  );
  // An answer that stands is shown until something else is typed.
  const standing = answer && !said && answer.way === way?.id;
  const judged: readonly RunJudged[] = standing
    ? answer.judged
    : worked.missing === null
      ? worked.judged
      : worked.judged;
  const of = (id: string) => judged.find((j) => j.id === id);
  const worst = judged.some((j) => j.verdict === 'stop')
    ? 'stop'
    : judged.some((j) => j.verdict === 'doubt')
      ? 'doubt'
      : 'good';
  const bad = judged.filter((j) => j.verdict !== 'good');

  if (!way) return null;
  const give = (sure: boolean) => {
    if (!standing && worked.missing !== null) return setTried(true);
    const values = standing ? answer.values : typed;
    onAct({ kind: 'done', step: step.id, way: way.id, values, sure, note: note.trim() });
    setTexts({});
    setNote('');
    setTried(false);
    return undefined;
  };
  // One after the other, as it would be touched.
  const readable = machine.mine && now ? way.asks.filter((a) => a.reads) : [];
  const readAll = async () => {
    let all = texts;
    for (const a of readable) {
      const r = await machine.ask({ do: 'read', step: step.id, way: way.id, ask: a.id });
      if (r?.gave == null) return;
      all = { ...all, [a.id]: show(r.gave, a.unit, units, 3).text };
      setTexts(all);
    }
  };
  const drawn =
    step.kind === 'zero' || step.kind === 'load' ? (card.drawings ?? []).filter((d) => d.setup === step.setup) : [];
  const program = card.programs.find((p) => p.setup === step.setup);
  const numbered = [...step.says, ...way.says];
  return (
    <Box data-step={step.id} data-standing={stands?.standing}>
      <h1 ref={head} tabIndex={-1} style={{ outline: 'none' }}>
        {step.title}
      </h1>
      {step.cautions.length > 0 ? (
        <Caution aria-label="Beware">
          {step.cautions.map((c) => (
            <p key={c}>{c}</p>
          ))}
        </Caution>
      ) : null}
      {step.ways.length > 1 ? (
        <div className="ways" role="group" aria-label="With what">
          {step.ways.map((w) => (
            <Big
              key={w.id}
              $chosen={w.id === way.id}
              aria-pressed={w.id === way.id}
              onPress={() => {
                setWayId(w.id);
                setTexts({});
              }}
            >
              {w.title}
            </Big>
          ))}
        </div>
      ) : null}
      {numbered.length > 0 ? (
        <ol>
          {numbered.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ol>
      ) : null}
      {machine.mine && now ? <MachineActs at={machine} card={card} step={step} values={state.values} /> : null}
      {readable.length > 0 ? (
        <Big isDisabled={machine.says?.state?.mode === 'running'} onPress={() => void readAll()}>
          Read {readable.length > 1 ? 'them' : 'it'} from the machine
        </Big>
      ) : null}
      {way.asks.map((a) => (
        <div key={a.id}>
          <Asked
            ask={a}
            text={texts[a.id] ?? ''}
            onText={(t) => setTexts({ ...texts, [a.id]: t })}
            counts={standing ? answer.judged.find((j) => j.id === a.id)?.value : unsaid(a, state.values)}
            judged={said || standing ? of(a.id) : undefined}
          />
          {(said || standing) && of(a.id) && of(a.id)?.verdict !== 'good' ? (
            <Told $kind={of(a.id)?.verdict === 'stop' ? 'stop' : 'doubt'} role="alert">
              <b>{of(a.id)?.verdict === 'stop' ? 'Stop. ' : 'Look again. '}</b>
              {of(a.id)?.says || limits(a.check, a.unit, units)}
              {a.check.why ? (
                <span className="quiet">
                  {' '}
                  ({limits(a.check, a.unit, units)}: {a.check.why})
                </span>
              ) : null}
            </Told>
          ) : a.check.why ? (
            <details className="quiet">
              <summary>{limits(a.check, a.unit, units) || 'Why'}</summary>
              {a.check.why}
            </details>
          ) : null}
        </div>
      ))}
      {way.outcomes.map((o) => {
        const j = of(o.id);
        if (!j) return null;
        const verdict = judge(j.value, o.check).verdict;
        return (
          <Out key={o.id} $verdict={verdict} data-outcome={o.id} role="status">
            <div>{o.label}</div>
            <div className="value">{say(j.value, o.unit, units, o.unit === 'mm' ? 3 : 4)}</div>
            <div>{o.then}</div>
            <div className="quiet">= {o.formula}</div>
            {verdict === 'good' ? null : (
              <p>
                <b>{verdict === 'stop' ? 'Stop. ' : 'Look again. '}</b>
                {j.says}
                <span className="quiet">
                  {' '}
                  ({limits(o.check, o.unit, units)}
                  {o.check.why ? `: ${o.check.why}` : ''})
                </span>
              </p>
            )}
          </Out>
        );
      })}
      {tried && worked.missing !== null && !standing ? (
        <Told $kind="doubt" role="alert">
          Type a number: {worked.missing}
        </Told>
      ) : null}
      {bad.length > 0 && (said || standing) ? (
        <div style={{ margin: '10px 0' }}>
          <label htmlFor="step-note">Note</label>
          <textarea
            id="step-note"
            rows={2}
            maxLength={1000}
            value={note}
            onChange={(e) => setNote(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
          />
        </div>
      ) : null}
      {drawn.length > 0 ? (
        <div className="drawn">
          {drawn.map((d) => (
            <figure key={d.title}>
              <img src={`data:image/svg+xml;utf8,${encodeURIComponent(d.svg)}`} alt={`${step.setup}, ${d.title}`} />
              <figcaption className="quiet">{d.title}</figcaption>
            </figure>
          ))}
        </div>
      ) : null}
      {step.kind === 'run' && program && now ? (
        <BrokenOff job={job} run={run} file={program.file} machine={machine} />
      ) : null}
      {answer ? (
        <p className="quiet" data-answered>
          {done ? 'Done' : 'Typed'} by {answer.who}, {new Date(answer.at_ms).toLocaleString()}
          {answer.note ? `: ${answer.note}` : ''}
        </p>
      ) : null}
      <div className="bar">
        {done && !said ? (
          <>
            <Big onPress={() => onAct({ kind: 'again', step: step.id, note: '' })}>Again from here</Big>
            <Big $main onPress={onNext}>
              To the next step
            </Big>
          </>
        ) : now || done ? (
          worst === 'stop' ? (
            <Big $stop isDisabled={wrong || Boolean(standing)} onPress={() => give(false)}>
              {standing ? 'The card stands here' : 'Write it down; the card stands'}
            </Big>
          ) : worst === 'doubt' ? (
            <Big $main isDisabled={wrong} onPress={() => give(true)}>
              I looked again: it holds
            </Big>
          ) : (
            <Big $main isDisabled={wrong} onPress={() => give(false)}>
              {way.asks.length > 0 ? 'Enter' : 'Done'}
            </Big>
          )
        ) : (
          <span className="quiet">First what comes before it.</span>
        )}
      </div>
    </Box>
  );
}
