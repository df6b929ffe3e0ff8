import styled from 'styled-components';
import type { Judged, OpSheet, Override, Tool } from '../../api/types';
import { allOps, useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Button, Head, Line, Quiet, Table } from '../../parts/basics';
import { Choice } from '../../parts/Choice';
import { Field } from '../../parts/Field';
import { grounds, Num, type Reasons } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { overruled } from './overruled';
import { ToolDrawing } from './ToolDrawing';

const Row = styled.div`
  display: flex;
  gap: 12px;
  align-items: flex-start;
`;

const kinds: Record<Tool['kind'], string> = {
  flat: 'end mill',
  ball: 'ball end mill',
  bull: 'corner-radius end mill',
  face: 'face mill',
  chamfer: 'chamfer mill',
  spot: 'spot drill',
  drill: 'drill',
  tap: 'tap',
  reamer: 'reamer',
  thread_mill: 'thread mill',
  t_slot: 'T-slot cutter',
  dovetail: 'dovetail cutter',
};

const judged = (title: string, j: Judged<number>): Reasons => ({
  title,
  boundBy: j.bound_by,
  bounds: j.bounds,
  boundUnit: j.unit,
  terms: j.terms,
  source: j.source,
});

/** For each step its cutter and its numbers, each with what bound it; any of them can be overruled. */
export function CuttersTicket() {
  const { sheet, shop, chosen, choose, decide } = useJob();
  const { units } = useUnits();
  const ops = allOps(sheet);
  if (!chosen) return <p>There is no step: nothing of this part can be cut.</p>;
  const { op, side } = chosen;
  const o = op.op;
  const tool = shop.crib.find((t) => t.number === o.tool);
  const step = ops.findIndex((x) => x.op === op);
  const name = (t: Tool) => `T${t.number} ${kinds[t.kind]} Ø${say(t.diameter_mm, 'mm', units)}`;
  const set = (what: Partial<Override>) => decide(overruled(op, what));
  return (
    <>
      <Line style={{ justifyContent: 'space-between', flexWrap: 'nowrap' }}>
        <Choice
          label="Step"
          value={o.id}
          options={ops.map((x, k) => ({
            id: x.op.op.id,
            words: `${k + 1}. ${x.side.name.replace('side ', 'Side ')}: ${x.op.op.title}, T${x.op.op.tool}`,
          }))}
          onChange={choose}
        />
        <Line style={{ flexWrap: 'nowrap' }}>
          <Button
            $small
            isDisabled={step <= 0}
            aria-label="Step before"
            onPress={() => ops[step - 1] && choose(ops[step - 1]?.op.op.id ?? '')}
          >
            ◂
          </Button>
          <Button
            $small
            isDisabled={step >= ops.length - 1}
            aria-label="Step after"
            onPress={() => ops[step + 1] && choose(ops[step + 1]?.op.op.id ?? '')}
          >
            ▸
          </Button>
        </Line>
      </Line>
      <Head style={{ marginTop: 10 }}>
        <h1>
          Step {step + 1}: {o.title}
        </h1>
        <Stamp kind={op.settled ? 'decided' : 'proposed'} words={op.settled ? 'decided' : 'proposed'} />
      </Head>
      <Row>
        {tool ? <ToolDrawing tool={tool} depth={op.depth} /> : null}
        <div style={{ flex: 1, minWidth: 0 }}>
          {tool ? (
            <>
              <Choice
                label="Cutter"
                value={String(o.tool)}
                options={shop.crib
                  .filter((t) => op.cutters.includes(t.number) || t.number === o.tool)
                  .map((t) => ({ id: String(t.number), words: name(t) }))}
                onChange={(id) => set({ tool: Number(id) })}
              />
              <p>
                {tool.flutes} flutes, {tool.carbide ? 'carbide' : 'high-speed steel'}; cuts{' '}
                {say(tool.flute_length_mm, 'mm', units)}, sticks out {say(tool.stickout_mm, 'mm', units)}; goes{' '}
                {say(op.depth, 'mm', units)} below the block&apos;s top on {side.name}, {say(op.minutes, '', units, 1)}{' '}
                min.
              </p>
            </>
          ) : null}
          {o.cutter_why.length > 0 ? (
            <ul>
              {o.cutter_why.map((t) => (
                <li key={t.symbol + t.meaning}>
                  <Quiet>
                    {t.meaning} {say(t.value, t.unit, units)}
                  </Quiet>
                </li>
              ))}
            </ul>
          ) : null}
        </div>
      </Row>
      <Numbers op={op} set={set} />
      {op.settled ? (
        <Line style={{ marginTop: 10 }}>
          <Button $small onPress={() => decide({ about: 'operation', id: o.id, change: null })}>
            All numbers back to the proposal
          </Button>
        </Line>
      ) : null}
    </>
  );
}

/** The numbers of a step: value, what bound it, and a field to overrule it. */
function Numbers({ op, set }: { op: OpSheet; set: (o: Partial<Override>) => void }) {
  const { units } = useUnits();
  const { mill: m, drill: d } = op.op;
  const s = op.settled;
  const own = (v: number | null | undefined) => (v === null || v === undefined ? null : 'a person');
  if (m)
    return (
      <>
        <Table style={{ marginTop: 8 }}>
          <thead>
            <tr>
              <th>number</th>
              <th>value</th>
              <th>bound by</th>
            </tr>
          </thead>
          <tbody>
            <Row3
              name="Speed"
              field={<Field label="Speed" value={m.rpm.value} unit="1/min" digits={0} onSet={(rpm) => set({ rpm })} />}
              by={own(s?.rpm) ?? m.rpm.bound_by}
              why={judged('Speed', m.rpm)}
              value={m.rpm}
            />
            <Row3
              name="Feed"
              field={
                <Field label="Feed" value={m.feed.value} unit="mm/min" digits={0} onSet={(feed) => set({ feed })} />
              }
              by={own(s?.feed) ?? m.feed.bound_by}
              why={judged('Feed', m.feed)}
              value={m.feed}
            />
            <Row3
              name="Depth"
              field={
                op.op.kind === 'thread' || op.op.kind === 'undercut' ? (
                  <>{say(m.ap.value, 'mm', units)}</>
                ) : (
                  <Field label="Depth" value={m.ap.value} unit="mm" onSet={(depth) => set({ depth })} />
                )
              }
              by={own(s?.depth) ?? m.ap.bound_by}
              why={judged('Depth', m.ap)}
              value={m.ap}
            />
            <tr>
              <td>Width</td>
              <td>
                <Field label="Width" value={m.ae} unit="mm" onSet={(width) => set({ width })} />
              </td>
              <td>
                {own(s?.width) ?? `${Math.round((m.engagement * 180) / Math.PI)}° of engagement`}{' '}
                <Num value={m.ae} unit="mm" why={grounds('Width', op.width_why)} words="why" label="Width" bare />
              </td>
            </tr>
            <tr>
              <td>Per tooth</td>
              <td>
                <Num value={m.fz.value} unit="mm" digits={3} why={judged('Feed per tooth', m.fz)} />
              </td>
              <td>{m.fz.bound_by}</td>
            </tr>
            <tr>
              <td>Load</td>
              <td colSpan={2}>
                <Num value={m.power_kw} unit="kW" digits={2} why={grounds('Load', op.load_why)} />,{' '}
                {say(m.force_n, 'N', units, 0)} mean, {say(m.side_n, 'N', units, 0)} at the highest, bends{' '}
                {say(m.deflection_mm, 'mm', units, 3)} at the tip
              </td>
            </tr>
          </tbody>
        </Table>
        {m.remarks.map((r) => (
          <p key={r}>
            <Quiet>{r}</Quiet>
          </p>
        ))}
      </>
    );
  if (d)
    return (
      <Table style={{ marginTop: 8 }}>
        <tbody>
          <Row3
            name="Speed"
            field={<Field label="Speed" value={d.rpm.value} unit="1/min" digits={0} onSet={(rpm) => set({ rpm })} />}
            by={own(s?.rpm) ?? d.rpm.bound_by}
            why={judged('Speed', d.rpm)}
            value={d.rpm}
          />
          <tr>
            <td>Feed</td>
            <td>
              {op.op.kind === 'tap' ? (
                say(d.feed, 'mm/min', units, 0)
              ) : (
                <Field label="Feed" value={d.feed} unit="mm/min" digits={0} onSet={(feed) => set({ feed })} />
              )}
            </td>
            <td>{own(s?.feed) ?? (op.op.kind === 'tap' ? 'pitch × speed' : 'feed per revolution × speed')}</td>
          </tr>
          <tr>
            <td>Per turn</td>
            <td>
              <Num value={d.feed_rev.value} unit="mm" digits={3} why={judged('Feed per revolution', d.feed_rev)} />
            </td>
            <td>{d.feed_rev.bound_by}</td>
          </tr>
          <tr>
            <td>Pecks</td>
            <td>{d.peck === null ? 'in one' : <Num value={d.peck} unit="mm" />}</td>
            <td>{d.peck_why}</td>
          </tr>
          <tr>
            <td>Load</td>
            <td colSpan={2}>
              thrust <Num value={d.thrust_n} unit="N" digits={0} why={grounds('Load', op.load_why)} />, torque{' '}
              {say(d.torque_nm, 'N m', units, 2)}
            </td>
          </tr>
        </tbody>
      </Table>
    );
  return <Quiet>This step has no numbers of its own.</Quiet>;
}

function Row3({
  name,
  field,
  by,
  why,
  value,
}: {
  name: string;
  field: React.ReactNode;
  by: string;
  why: Reasons;
  value: Judged<number>;
}) {
  return (
    <tr>
      <td>{name}</td>
      <td>{field}</td>
      <td>
        {by} <Num value={value.value} unit={value.unit} digits={0} why={why} words="why" label={name} bare />
      </td>
    </tr>
  );
}
