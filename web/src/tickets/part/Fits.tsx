import { Checkbox } from 'react-aria-components';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api } from '../../api';
import type { JobCard } from '../../api/types';
import { usePart } from '../../frame/part';
import { refuse, useUnits } from '../../frame/settings';
import { say } from '../../model/units';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';

const Tick = styled(Checkbox)`
  display: flex;
  gap: 6px;
  align-items: center;
  width: fit-content;
  cursor: pointer;
  i {
    display: inline-flex;
    align-items: center;
    justify-content: center;
    width: 15px;
    height: 15px;
    border: 1px solid ${(p) => p.theme.edge};
    background: ${(p) => p.theme.card};
    font-style: normal;
    font-size: 12px;
  }
  &[data-selected] {
    font-weight: 600;
  }
`;

/** The file's other solids: what the part must fit. */
export function Fits() {
  const { id, part: p, decide, beside, setBeside, setFaces, setPlaces } = usePart();
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
              <Tick
                isSelected={o.stays}
                onChange={(on) => decide({ about: 'answer', question: `stays/${o.k}`, answer: on ? 'yes' : null })}
              >
                {({ isSelected }) => (
                  <>
                    <i aria-hidden>{isSelected ? '✕' : ''}</i> Stands there while this is machined: keep out of it
                  </>
                )}
              </Tick>
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
