import styled, { useTheme } from 'styled-components';
import type { ProofSheet } from '../../api/types';
import { useJob } from '../../frame/job';
import { useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Head, Quiet, Rows, Section, Table } from '../../parts/basics';
import { FindingRow } from '../../parts/FindingRow';
import { grounds, Num } from '../../parts/Number';
import { Stamp } from '../../parts/Stamp';
import { Take } from '../../parts/Take';
import { WhatIfSection } from './WhatIf';

const Bar = styled.div`
  display: flex;
  height: 18px;
  border: 1px solid ${(p) => p.theme.edge};
  i + i {
    border-left: 1px solid ${(p) => p.theme.ink};
  }
`;

/** Where the minutes go. */
function Minutes({ proof: { ledger: l, minutes, minutes_why } }: { proof: ProofSheet }) {
  const t = useTheme();
  const { units } = useUnits();
  const parts = [
    { name: 'cutting', v: l.cutting, fill: t.brass },
    { name: 'air', v: l.air, fill: `repeating-linear-gradient(45deg, ${t.rule} 0 4px, ${t.card} 4px 8px)` },
    { name: 'tool changes', v: l.changes, fill: t.sunk },
  ];
  return (
    <>
      <Bar aria-hidden>
        {parts.map((p) => (
          <i key={p.name} style={{ flex: p.v, background: p.fill }} />
        ))}
      </Bar>
      <p>
        {parts.map((p, k) => (
          <span key={p.name}>
            {k > 0 ? ' · ' : ''}
            {p.name} <b>{say(p.v, '', units, 1)}</b>
          </span>
        ))}{' '}
        = <Num value={minutes} unit="min" digits={1} why={grounds('Minutes', minutes_why)} />{' '}
        <Quiet>(without loading)</Quiet>
      </p>
    </>
  );
}

/** What was proved, where the minutes go, and every finding with its place. */
export function ProofTicket() {
  const { id, sheet, state, show, decide } = useJob();
  const { units } = useUnits();
  const p = sheet.proof;
  return (
    <>
      <Head style={{ alignItems: 'center' }}>
        <h1>{state.fresh ? headline(p) : 'This proof is of an earlier plan'}</h1>
        {state.fresh ? (
          <Stamp big kind={p.passed ? 'proved' : 'stop'} words={p.verdict} />
        ) : (
          <Stamp big kind="stale" words="stale: being worked out" />
        )}
      </Head>
      <Quiet>The posted text was read back and cut in simulation, line by line.</Quiet>
      <Section aria-label="Measured" style={{ marginTop: 10 }}>
        <Table>
          <tbody>
            <tr>
              <td style={{ whiteSpace: 'nowrap' }}>Deepest gouge</td>
              <td className="n">{measured(p.gouge, p.error, units)}</td>
              <td>
                <Quiet>allowed {say(0.02, 'mm', units, 3)}</Quiet>
              </td>
            </tr>
            <tr>
              <td>Most left over</td>
              <td className="n">{measured(p.leftover, p.error, units)}</td>
              <td>
                <Quiet>outside named places; allowed {say(0.1, 'mm', units, 3)}</Quiet>
              </td>
            </tr>
            <tr>
              <td>Measured to</td>
              <td className="n">
                ± <Num value={p.error} unit="mm" digits={3} why={grounds('Error bound', p.error_why)} />
              </td>
              <td>
                <Quiet>
                  by rays every {p.pitch.map((v) => say(v, 'mm', units, 2).replace(/ .*/, '')).join(' / ')}{' '}
                  {units === 'mm' ? 'mm' : 'in'}
                </Quiet>
              </td>
            </tr>
          </tbody>
        </Table>
      </Section>
      <Section aria-label="Minutes">
        <h2>Minutes</h2>
        <Minutes proof={p} />
      </Section>
      <Section aria-label="Findings">
        <h2>
          {p.findings.length === 0 ? 'No findings' : `${p.findings.length} finding${p.findings.length > 1 ? 's' : ''}`}
        </h2>
        <Rows>
          {p.findings.map((f) => (
            <li key={f.id}>
              <FindingRow
                finding={f}
                onShow={f.places.length > 0 || f.line ? () => show(f) : undefined}
                onMend={(r) => decide(r.decision)}
              />
            </li>
          ))}
        </Rows>
      </Section>
      <WhatIfSection />
      <Section aria-label="Files to take along">
        <h2>Stock as planned, to take along</h2>
        {sheet.sides.map((x, k) => (
          <Take
            key={x.name}
            at={`/api/jobs/${id}/export`}
            words={`after ${x.name}`}
            files={[
              { file: `stock-${k + 1}.step`, words: 'STEP' },
              { file: `stock-${k + 1}.stl`, words: 'STL, mm' },
            ]}
          />
        ))}
        <Quiet>In layers, never less than there is; on the part’s own axes.</Quiet>
      </Section>
    </>
  );
}

function headline(p: ProofSheet): string {
  if (!p.passed) return 'These programs may not run';
  if (p.complete) return 'These programs cut the part';
  return p.left > 0
    ? `These programs cut all but ${p.left} feature${p.left > 1 ? 's' : ''}`
    : 'These programs leave something';
}

/** A measured depth; below the error bound it is not told apart from nothing. */
const measured = (v: number, error: number, units: 'mm' | 'inch') =>
  v <= error ? `under ${say(error, 'mm', units, 3)}` : say(v, 'mm', units, 3);
