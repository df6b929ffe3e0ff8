import styled from 'styled-components';
import { useJob } from '../../frame/job';
import { overruled } from './overruled';
import { WindowChart } from './Window';

const Pane = styled.section`
  flex: none;
  height: 320px;
  border-top: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.card};
  padding: 8px 16px 0;
  overflow: hidden;
`;

const round = (v: number, digits: number) => Number(v.toFixed(digits));

/** The operating window of the chosen step, under the picture. */
export function WindowPane() {
  const { chosen, decide } = useJob();
  const op = chosen?.op;
  const m = op?.op.mill;
  if (!op || !m || !op.window) return null;
  return (
    <Pane aria-label="Operating window">
      <WindowChart
        key={op.op.id}
        window={op.window}
        ae={m.ae}
        fz={m.fz.value}
        title={`T${op.op.tool}, `}
        rpm={m.rpm.value}
        ap={m.ap.value}
        onMove={(width, fz) =>
          decide(overruled(op, { width: round(width, 3), feed: round((fz / m.fz.value) * m.feed.value, 0) }))
        }
      />
    </Pane>
  );
}
