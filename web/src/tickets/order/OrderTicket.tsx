import { Fragment, useRef, useState, type DragEvent } from 'react';
import styled from 'styled-components';
import type { OpSheet, SideSheet } from '../../api/types';
import { allOps, useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { capital, say } from '../../model/units';
import { Button, Head, Line, Link, Quiet, Rows, Section, Sr } from '../../parts/basics';
import { Finishes } from './Finishes';
import { breaks, move } from './sequence';

const Lane = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  margin: 4px 0 10px;
  button {
    flex: none;
    height: 44px;
    min-width: 25px;
    padding: 3px 4px;
    text-align: left;
    border: 1px solid ${(p) => p.theme.edge};
    background: ${(p) => p.theme.card};
    overflow: hidden;
    white-space: nowrap;
    container-type: inline-size;
    font-size: 13px;
    line-height: 1.25;
    cursor: grab;
  }
  b {
    font-weight: inherit;
  }
  @container (max-width: 30px) {
    b {
      display: none;
    }
  }
  button.change {
    border-left: 4px solid ${(p) => p.theme.brass};
  }
  button.chosen {
    background: ${(p) => p.theme.blueWash};
    border-color: ${(p) => p.theme.blue};
    font-weight: 600;
  }
  button.before {
    border-bottom: 5px solid ${(p) => p.theme.blue};
  }
  button.after {
    border-bottom: 5px double ${(p) => p.theme.amber};
  }
  > i {
    flex: none;
    align-self: center;
    padding: 0 4px;
    font-style: normal;
    font-size: 13px;
    font-weight: 600;
  }
  button.target {
    outline: 3px dashed ${(p) => p.theme.ink};
    outline-offset: -3px;
  }
`;

/** Does the program stop before a step? What holds the piece changes there, so nothing is moved over it. */
const stopBefore = (side: SideSheet, k: number) =>
  k > 0 && side.operations[k]?.op.after_stop !== side.operations[k - 1]?.op.after_stop;

/** What comes after the chosen step because it needs it. */
const needing = (side: SideSheet, id: string) => side.operations.filter((o) => o.needs.some((n) => n.first === id));

/** Operations as blocks as wide as their minutes, a lane a side. */
export function OrderTicket() {
  const { sheet, chosen, choose, decide, go, state } = useJob();
  const { units } = useUnits();
  const [over, setOver] = useState<string | null>(null);
  const dragged = useRef<string | null>(null);
  const ops = allOps(sheet);
  const first = chosen?.op;
  const before = new Set(first?.needs.map((n) => n.first));
  const after = new Set(first && chosen ? needing(chosen.side, first.op.id).map((o) => o.op.id) : []);
  const sides = sheet.sides;
  const longest = Math.max(...sides.map((s) => s.minutes));
  const moved = state.settled.sequence.length > 0;
  const put = (side: SideSheet, id: string, at: number) => {
    const d = move(
      side.operations.map((o) => o.op.id),
      id,
      at,
    );
    if (d) decide({ about: 'sequence', ...d });
  };
  const drop = (side: SideSheet, k: number) => (e: DragEvent) => {
    e.preventDefault();
    setOver(null);
    const id = dragged.current;
    dragged.current = null;
    if (id && side.operations.some((o) => o.op.id === id)) put(side, id, k);
  };
  const step = first ? ops.findIndex((o) => o.op === first) + 1 : 0;
  const here = chosen?.side.operations.findIndex((o) => o === first) ?? -1;
  return (
    <>
      <Head>
        <h1>
          {ops.length} steps, {say(sheet.proof.minutes, '', units, 1)} min
        </h1>
        {moved ? (
          <Quiet>
            order changed:{' '}
            {state.settled.sequence.map(({ id }) => (
              <Link key={id} onPress={() => decide({ about: 'sequence', id, before: null })}>
                put {ops.find((o) => o.op.op.id === id)?.op.op.title ?? 'a step'} back
              </Link>
            ))}
          </Quiet>
        ) : null}
      </Head>
      {sides.map((side) => (
        <section key={side.name} aria-label={side.name}>
          <Line style={{ justifyContent: 'space-between' }}>
            <h2>{capital(side.name)}</h2>
            <Quiet>{say(side.minutes, '', units, 1)} min</Quiet>
          </Line>
          <Lane>
            {side.operations.map((o, k) => (
              <Fragment key={o.op.id}>
                {stopBefore(side, k) ? <i>■ stop {o.op.after_stop}</i> : null}
                <button
                  type="button"
                  draggable
                  data-op={o.op.id}
                  title={`${o.op.title}, T${o.op.tool}, ${say(o.minutes, '', units, 1)} min`}
                  aria-pressed={o === first}
                  style={{ width: `${(o.minutes / longest) * 98}%` }}
                  className={[
                    side.operations[k - 1]?.op.tool === o.op.tool ? '' : 'change',
                    o === first ? 'chosen' : before.has(o.op.id) ? 'before' : after.has(o.op.id) ? 'after' : '',
                    over === o.op.id ? 'target' : '',
                  ].join(' ')}
                  onClick={() => choose(o.op.id)}
                  onDragStart={(e) => {
                    dragged.current = o.op.id;
                    e.dataTransfer.setData('text/plain', o.op.id);
                  }}
                  onDragOver={(e) => {
                    e.preventDefault();
                    setOver(o.op.id);
                  }}
                  onDragLeave={() => setOver(null)}
                  onDrop={drop(side, k)}
                >
                  <Sr>
                    {o.op.title}, {say(o.minutes, '', units, 1)} min
                  </Sr>
                  <span aria-hidden>
                    <b>
                      {o.word}
                      <br />
                    </b>
                    T{o.op.tool}
                  </span>
                </button>
              </Fragment>
            ))}
          </Lane>
          {side.words.at_stops.map((lines, n) => (
            <p key={n} data-stop={n + 1}>
              <b>■ Stop {n + 1}</b> {lines.join('. ')}.
            </p>
          ))}
        </section>
      ))}
      <Quiet>
        Width is minutes; a brass edge is a change of cutter. Drag a step to another place, or use the buttons below.
      </Quiet>
      <Finishes sides={sides} choose={choose} />
      {first && chosen ? (
        <Section aria-label="Chosen step">
          <Head>
            <h2>
              Step {step}: {first.op.title}
            </h2>
            <Quiet>{say(first.minutes, '', units, 1)} min</Quiet>
          </Head>
          <p>{first.op.order_why}</p>
          <Line style={{ margin: '8px 0' }}>
            <Button
              isDisabled={here <= 0 || stopBefore(chosen.side, here)}
              onPress={() => put(chosen.side, first.op.id, here - 1)}
            >
              One earlier
            </Button>
            <Button
              isDisabled={here >= chosen.side.operations.length - 1 || stopBefore(chosen.side, here + 1)}
              onPress={() => put(chosen.side, first.op.id, here + 1)}
            >
              One later
            </Button>
            <Button onPress={() => go('cutters')}>Its cutter</Button>
          </Line>
          <Broken side={chosen.side} op={first} here={here} />
          <Needs side={chosen.side} op={first} onChoose={choose} />
        </Section>
      ) : null}
    </>
  );
}

/** What a step needs before it, and what needs it. */
function Needs({ side, op, onChoose }: { side: SideSheet; op: OpSheet; onChoose: (id: string) => void }) {
  const title = (id: string) => side.operations.find((o) => o.op.id === id)?.op.title ?? 'a step';
  const later = needing(side, op.op.id);
  if (op.needs.length === 0 && later.length === 0)
    return <Quiet>It needs nothing before it on this side, and nothing needs it.</Quiet>;
  return (
    <Rows style={{ marginTop: 8 }}>
      {op.needs.map((n) => (
        <li key={n.first}>
          needs <Link onPress={() => onChoose(n.first)}>{title(n.first)}</Link> before it: {n.why}
        </li>
      ))}
      {later.map((o) => (
        <li key={o.op.id}>
          goes before <Link onPress={() => onChoose(o.op.id)}>{o.op.title}</Link>:{' '}
          {o.needs.find((n) => n.first === op.op.id)?.why}
        </li>
      ))}
    </Rows>
  );
}

/** What moving the step by one would break, before it is done. */
function Broken({ side, op, here }: { side: SideSheet; op: OpSheet; here: number }) {
  const said = [
    { words: 'Earlier', at: here - 1 },
    { words: 'Later', at: here + 1 },
  ].flatMap(({ words, at }) => breaks(side.operations, op.op.id, at).map((b) => `${words}: ${b}`));
  if (said.length === 0) return null;
  return (
    <ul style={{ marginTop: 8 }}>
      {said.map((s) => (
        <li key={s}>
          <Quiet>{s}</Quiet>
        </li>
      ))}
    </ul>
  );
}
