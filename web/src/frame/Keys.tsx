import { Kbd, Table } from '../parts/basics';
import { Modal } from '../parts/Modal';

const rows: [string, string][] = [
  ['1 … 9', 'Open a ticket: part, stock, hold, order, cutters, proof, program, run, log'],
  ['B', 'To the bench'],
  ['C', 'Checks'],
  ['D', 'What was decided, by whom'],
  ['Z, Y', 'Undo your last decision, make it again'],
  [', .', 'One line of the program back, on'],
  ['[ ]', 'One step back, on'],
  ['← →', 'On the proof strip: one second (with Shift ten)'],
  ['U', 'mm or inch for this job'],
  ['L', 'Desk or machine light'],
  ['?', 'This list'],
];

export function Keys({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Modal title="Keys" open={open} onClose={onClose}>
      <Table>
        <tbody>
          {rows.map(([k, what]) => (
            <tr key={k}>
              <td>
                <Kbd>{k}</Kbd>
              </td>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p style={{ marginTop: 10 }}>
        Number fields take arithmetic and either unit: 3/8 in, 1.5+0.2, 12 mm. Empty takes a number back to the
        proposal.
      </p>
    </Modal>
  );
}
