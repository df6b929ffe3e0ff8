import { useNavigate } from 'react-router';
import { api } from '../../api';
import type { JobCard } from '../../api/types';
import { usePart } from '../../frame/part';
import { refuse, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';

/** The file's other solids: what the part must fit. */
export function Fits() {
  const { id, part: p, beside, setBeside, setFaces, setPlaces } = usePart();
  const { units } = useUnits();
  const navigate = useNavigate();
  const others = p.origin.solids.map((s, k) => ({ ...s, k })).filter((s) => s.k !== p.origin.solid);
  if (others.length === 0) return null;
  const make = async (k: number) => {
    try {
      const job = await api.post<JobCard>(`/api/jobs/${id}/beside/${k}`);
      void navigate(`/jobs/${job.id}/part`);
    } catch (e) {
      refuse(e);
    }
  };
  return (
    <Section aria-label="What it must fit">
      <Line style={{ justifyContent: 'space-between' }}>
        <h2>What it must fit</h2>
        <Button $small onPress={() => setBeside(!beside)}>
          {beside ? 'Hide the others' : 'Show the others around it'}
        </Button>
      </Line>
      <Rows>
        {others.slice(0, 20).map((o) => {
          const f = p.fits.find((x) => x.solid === o.k);
          return (
            <li key={o.k} data-solid={o.k}>
              <Line style={{ justifyContent: 'space-between' }}>
                <b>{o.name}</b>
                <Link onPress={() => void make(o.k)}>Make a job of it</Link>
              </Line>
              {f ? (
                <>
                  {f.shared > 0.1 ? (
                    <p>
                      ▲ Both claim {say(f.shared, 'mm³', units)}: they cannot both be so, or are pressed together. Ask.
                    </p>
                  ) : null}
                  <ul>
                    {f.contacts.slice(0, 12).map((c) => (
                      <li key={c.what + String(c.clearance)}>
                        <Link
                          onPress={() => {
                            setPlaces([]);
                            setFaces(c.faces);
                          }}
                        >
                          {c.what.charAt(0).toUpperCase() + c.what.slice(1)}
                        </Link>
                        {': '}
                        {c.round
                          ? c.clearance >= 0
                            ? `${say(c.clearance, 'mm', units, 3)} clearance`
                            : `${say(-c.clearance, 'mm', units, 3)} interference`
                          : c.clearance > 1e-4
                            ? `gap of ${say(c.clearance, 'mm', units, 3)}`
                            : c.clearance < -1e-4
                              ? `overlaps by ${say(-c.clearance, 'mm', units, 3)}`
                              : 'touches'}
                      </li>
                    ))}
                  </ul>
                </>
              ) : (
                <Quiet>does not touch it</Quiet>
              )}
            </li>
          );
        })}
      </Rows>
      {others.length > 20 ? <Quiet>and {others.length - 20} more solids</Quiet> : null}
    </Section>
  );
}
