import styled from 'styled-components';
import type { JobState } from '../api/types';
import { Quiet, Table } from '../parts/basics';
import { Modal } from '../parts/Modal';

const Gone = styled.s`
  color: ${(p) => p.theme.quiet};
`;

interface Props {
  state: JobState;
  open: boolean;
  onClose: () => void;
}

/** Everything that people decided on this job, the newest first; what was taken back is struck out. */
export function Decisions({ state, open, onClose }: Props) {
  const list = state.decisions.toReversed();
  const back = new Set(list.flatMap((d) => (d.undoes === null ? [] : [d.undoes])));
  return (
    <Modal title="Decisions" open={open} onClose={onClose}>
      {list.length === 0 ? (
        <p>Nobody has decided anything yet: all of it is proposed.</p>
      ) : (
        <Table>
          <thead>
            <tr>
              <th className="n">revision</th>
              <th>what</th>
              <th>who</th>
              <th>when, UTC</th>
            </tr>
          </thead>
          <tbody>
            {list.map((d) => (
              <tr key={d.revision}>
                <td className="n">{d.revision}</td>
                <td>
                  {d.undoes !== null ? (
                    <Quiet>undo of {d.undoes}: </Quiet>
                  ) : d.redoes !== null ? (
                    <Quiet>redo of {d.redoes}: </Quiet>
                  ) : null}
                  {back.has(d.revision) ? <Gone>{d.words}</Gone> : d.words}
                </td>
                <td>{d.who}</td>
                <td>{d.at.replace('T', ' ').slice(0, 16)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </Modal>
  );
}
