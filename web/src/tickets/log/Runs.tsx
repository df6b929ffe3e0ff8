import { Link as To } from 'react-router';
import { api } from '../../api';
import type { RunCard } from '../../api/types';
import { refuse } from '../../frame/settings';
import { Link, Quiet, Table } from '../../parts/basics';
import { Stamp } from '../../parts/Stamp';

/** Runs as a table, the newest first. */
export function Runs({ runs, titles }: { runs: readonly RunCard[]; titles: boolean }) {
  const take = (r: RunCard, what: 'csv' | 'json') =>
    void api.take('GET', `/api/jobs/${r.job}/runs/${r.id}/log.${what}`).catch(refuse);
  return (
    <Table>
      <thead>
        <tr>
          {titles ? <th>Job</th> : null}
          <th>Piece</th>
          <th>Begun</th>
          <th className="n">min</th>
          <th>How it went</th>
          <th>Table</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((r) => (
          <tr key={r.id} data-run={r.id}>
            {titles ? (
              <td>
                <To to={`/jobs/${r.job}/log`}>{r.title}</To>
              </td>
            ) : null}
            <td>
              <To to={`/run/${r.job}/${r.id}`}>{r.piece}</To>
            </td>
            <td>
              {r.began.replace('T', ' ').slice(0, 16)} <Quiet>{r.who}</Quiet>
            </td>
            <td className="n">{r.minutes.toFixed(0)}</td>
            <td>
              {r.ended === null ? (
                <Stamp kind="open" words={`step ${r.done[0] + 1} of ${r.done[1]}`} />
              ) : (
                <Stamp kind={r.good ? 'decided' : 'stop'} words={r.good ? 'good' : 'scrap'} />
              )}{' '}
              {r.cause}
              {r.notes.length > 0 ? (
                <ul>
                  {r.notes.map((n, k) => (
                    <li key={k}>– {n}</li>
                  ))}
                </ul>
              ) : null}
            </td>
            <td>
              <Link aria-label={`Table of run ${r.id} as CSV`} onPress={() => take(r, 'csv')}>
                CSV
              </Link>{' '}
              <Link aria-label={`Run ${r.id} as JSON`} onPress={() => take(r, 'json')}>
                JSON
              </Link>
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}
