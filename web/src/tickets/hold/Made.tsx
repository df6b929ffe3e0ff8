import { useQueryClient } from '@tanstack/react-query';
import styled, { useTheme } from 'styled-components';
import { api } from '../../api';
import type { KeepOutSheet, MadeSheet } from '../../api/types';
import { useJob } from '../../frame/job';
import { refuse, tell, useUnits } from '../../frame/settings';
import { saySize } from '../../model/units';
import { Button, Line, Quiet, Rows, Table } from '../../parts/basics';
import { FindingRow } from '../../parts/FindingRow';
import { Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';

const Sheet = styled.article`
  border: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.card};
  padding: 8px 12px 10px;
  margin: 0 0 14px;
  h2 {
    margin: 0 0 4px;
    font-size: inherit;
  }
`;

const path = (loops: readonly (readonly (readonly [number, number])[])[]) =>
  loops.map((l) => `M${l.map(([x, y]) => `${x.toFixed(2)} ${(-y).toFixed(2)}`).join('L')}Z`).join('');

/** What is made and what stands on it from above: what is deeper is darker. */
function Plan({ bodies, label }: { bodies: readonly KeepOutSheet[]; label: string }) {
  const t = useTheme();
  const xs = bodies.flatMap((b) => [b.place.min_mm[0], b.place.max_mm[0]]);
  const ys = bodies.flatMap((b) => [-b.place.min_mm[1], -b.place.max_mm[1]]);
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  const [w, h] = [Math.max(...xs) - x, Math.max(...ys) - y];
  return (
    <svg
      viewBox={`${x - 2} ${y - 2} ${w + 4} ${h + 4}`}
      style={{ display: 'block', width: '100%', maxWidth: 330, maxHeight: 230 }}
      role="img"
      aria-label={label}
    >
      {bodies.map((b) =>
        b.layers.map(([z0, , loops], k) => (
          <path
            key={`${b.name}${z0}`}
            d={path(loops)}
            fillRule="evenodd"
            fill={t.jaw}
            fillOpacity={k === b.layers.length - 1 ? 0.35 : 0.3}
            stroke={t.ink}
            strokeWidth={0.5}
          />
        )),
      )}
    </svg>
  );
}

/** A piece that is made to hold a setup: what it is, whether it fits, and its program. */
export function Made({ made: m, number }: { made: MadeSheet; number: number }) {
  const { id, sheet, state } = useJob();
  const { units } = useUnits();
  const client = useQueryClient();
  const bodies = sheet.sides.find((s) => s.name === m.setup)?.keep_out.filter((b) => b.layers.length > 0) ?? [];
  const jaws = m.name.startsWith('jaws');
  const tools = new Set(m.side.operations.map((o) => o.op.tool)).size;
  const ready = state.fresh && sheet.proof.passed && m.passed;
  const take = async () => {
    try {
      const name = await api.take('POST', `/api/jobs/${id}/issue/${sheet.sides.length + number}`);
      tell('done', `${name} was taken and written down as revision ${state.card.revision}`);
    } catch (e) {
      refuse(e);
    }
    await client.invalidateQueries({ queryKey: ['job', id] });
  };
  return (
    <Sheet aria-label={m.title} data-made={m.name}>
      <Line style={{ justifyContent: 'space-between' }}>
        <h2>{m.title}</h2>
        <Stamp kind={m.passed ? 'proved' : 'stop'} words={m.verdict} />
      </Line>
      <Plan bodies={bodies} label={`${m.name} from above`} />
      <Table style={{ marginTop: 6 }}>
        <tbody>
          <tr>
            <td>Cut from</td>
            <td>
              {m.material}, {saySize(m.size, units, 1)}
              {jaws ? ' closed on the spacer' : ''}
            </td>
          </tr>
          <tr>
            <td>Takes</td>
            <td>
              <Num value={m.side.minutes} unit="min" digits={1} />, {m.side.operations.length} steps, {tools} cutters
            </td>
          </tr>
          {m.fit ? (
            <tr>
              <td>Fits</td>
              <td data-fit={m.fit.overlap_mm.toFixed(3)}>
                {m.fit.overlap_mm > 0.01 ? 'no: they overlap by ' : 'as both are cut: overlap '}
                <Num value={m.fit.overlap_mm} unit="mm" digits={3} />; bears on{' '}
                <Num value={m.fit.bears_mm2[0]} unit="mm²" digits={0} /> of the fixed jaw,{' '}
                <Num value={m.fit.bears_mm2[1]} unit="mm²" digits={0} /> of the moving one,{' '}
                <Num value={m.fit.bears_mm2[2]} unit="mm²" digits={0} /> below
              </td>
            </tr>
          ) : null}
        </tbody>
      </Table>
      <details style={{ margin: '6px 0' }}>
        <summary>{jaws ? 'How they are cut' : 'How it is cut'}</summary>
        <Rows>
          {m.side.datum.map((z) => (
            <li key={z.axis}>
              <b>{z.axis}0</b> {z.touches}
            </li>
          ))}
          {m.side.operations.map((o) => (
            <li key={o.op.id}>{o.op.title}</li>
          ))}
        </Rows>
      </details>
      {m.findings.length > 0 ? (
        <div>
          {m.findings
            .filter((f) => f.severity !== 'note')
            .map((f) => (
              <FindingRow key={f.id} finding={f} />
            ))}
        </div>
      ) : null}
      <Line>
        <Button $small $main isDisabled={!ready} onPress={take}>
          Download the program of the {jaws ? 'jaws' : 'plate'}
        </Button>
        {ready ? null : <Quiet>Not before all of it is proved.</Quiet>}
      </Line>
    </Sheet>
  );
}
