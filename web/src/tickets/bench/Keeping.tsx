import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { api, keepingQuery } from '../../api';
import type { Goes, Keeping as Sheet, Me } from '../../api/types';
import { refuse, tell } from '../../frame/settings';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';
import { Modal } from '../../parts/Modal';
import { age, bytes, when } from '../../model/keeping';

const Gauge = styled.div`
  height: 8px;
  margin: 6px 0 4px;
  border: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.sunk};
  i {
    display: block;
    height: 100%;
    background: ${(p) => p.theme.blue};
  }
`;

const Bin = styled.li`
  display: flex;
  gap: 16px;
  align-items: baseline;
  .name {
    flex: 1;
  }
`;

const Warn = styled.p`
  color: ${(p) => p.theme.red};
`;

/** What a job consists of, in words. */
export const what = (g: Goes) =>
  [
    g.decisions === 1 ? '1 decision' : `${g.decisions} decisions`,
    g.programs === 1 ? '1 program that was taken' : `${g.programs} programs that were taken`,
    `${bytes(g.bytes)} of models and edited programs`,
  ].join(', ');

function Backups({ k, owner }: { k: Sheet; owner: boolean }) {
  const old = k.backup && age(k.backup.at) > 2;
  return (
    <>
      {k.backup ? (
        <p>
          The last one was made {when(k.backup.at)} ({bytes(k.backup.bytes)}).{' '}
          {k.backup.file ? <Quiet>{k.backup.file}</Quiet> : null}
        </p>
      ) : (
        <Warn>There is none yet.</Warn>
      )}
      {old ? <Warn>It is {Math.floor(age(k.backup?.at ?? ''))} days old.</Warn> : null}
      {k.failed ? (
        <Warn role="alert">
          The last try, {when(k.failed.at)}, failed{k.failed.why ? `: ${k.failed.why}` : '; ask the owner'}.
        </Warn>
      ) : null}
      <p>
        <Quiet>
          {k.by_clock
            ? 'One is made every day, and the newest seven are kept.'
            : 'None is made by the clock here: GOLDCHIP_BACKUPS names no folder.'}
          {owner ? ' By hand: goldchip-server backup FILE, while the house is open.' : ''}
        </Quiet>
      </p>
    </>
  );
}

function Room({ k, owner, again }: { k: Sheet; owner: boolean; again: () => Promise<void> }) {
  const [mb, setMb] = useState<string | null>(null);
  const limit = k.quota_mb * 2 ** 20;
  const set = async () => {
    try {
      await api.act('PATCH', '/api/keeping', { quota_mb: Math.round(Number(mb)) });
      setMb(null);
      await again();
    } catch (e) {
      refuse(e);
    }
  };
  return (
    <>
      <Gauge
        role="meter"
        aria-label="Room that is taken"
        aria-valuemin={0}
        aria-valuemax={limit}
        aria-valuenow={k.used}
      >
        <i style={{ width: `${Math.min(100, (100 * k.used) / limit)}%` }} />
      </Gauge>
      <p>
        Models and programs of this shop fill {bytes(k.used)} of {bytes(limit)}.{' '}
        {owner && mb === null ? <Link onPress={() => setMb(String(k.quota_mb))}>Change the limit</Link> : null}
      </p>
      {mb !== null ? (
        <Line>
          <label>
            Limit in MB{' '}
            <input
              type="number"
              min={100}
              max={10_000_000}
              value={mb}
              onChange={(e) => setMb(e.target.value)}
              style={{ width: 110 }}
            />
          </label>
          <Button $small onPress={() => void set()}>
            Set
          </Button>
          <Link onPress={() => setMb(null)}>Leave it</Link>
        </Line>
      ) : null}
      <p>
        <Quiet>
          Plans and pictures that can be worked out again: {bytes(k.results)}
          {k.free_mb === null ? '' : `; free on the disk: ${bytes(k.free_mb * 2 ** 20)}`}.
        </Quiet>
      </p>
    </>
  );
}

/** How the house is kept: backups, room, and what was thrown away and can still come back. */
export function Keeping({ me, open, onClose }: { me: Me; open: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const asked = useQuery({ ...keepingQuery, enabled: open });
  const k = asked.data;
  const again = async () => {
    await client.invalidateQueries({ queryKey: keepingQuery.queryKey });
    await client.invalidateQueries({ queryKey: ['jobs'] });
  };
  const back = async (g: Goes) => {
    try {
      await api.act('POST', `/api/jobs/${g.id}/back`);
      tell('done', `${g.title} is in the archive again`);
    } catch (e) {
      refuse(e);
    }
    await again();
  };
  return (
    <Modal title="Keeping" open={open} onClose={onClose}>
      {asked.error ? <p role="alert">{asked.error.message}</p> : null}
      {k ? (
        <>
          <Section>
            <h3>Backups</h3>
            <Backups k={k} owner={me.owner} />
          </Section>
          <Section>
            <h3>Room</h3>
            <Room k={k} owner={me.owner} again={again} />
          </Section>
          <Section>
            <h3>Thrown away</h3>
            {k.bin.length === 0 ? (
              <p>
                <Quiet>Nothing. An archived job can be thrown away; for 30 days it lies here.</Quiet>
              </p>
            ) : (
              <Rows>
                {k.bin.map((g) => (
                  <Bin key={g.id}>
                    <span className="name">
                      {g.title}{' '}
                      <Quiet>
                        {what(g)}; gone for good {when(g.goes_at ?? '')}
                      </Quiet>
                    </span>
                    <Button $small onPress={() => void back(g)} aria-label={`Take back: ${g.title}`}>
                      Take back
                    </Button>
                  </Bin>
                ))}
              </Rows>
            )}
          </Section>
        </>
      ) : null}
    </Modal>
  );
}

/** Before a job is thrown away: what goes with it. */
export function Throw({ id, title, onClose }: { id: number; title: string; onClose: (thrown: boolean) => void }) {
  const goes = useQuery({ queryKey: ['goes', id], queryFn: () => api.get<Goes>(`/api/jobs/${id}/goes`), gcTime: 0 });
  const act = async () => {
    try {
      await api.act('DELETE', `/api/jobs/${id}`);
      tell('done', `${title} was thrown away; for 30 days it can be taken back under Keeping`);
      onClose(true);
    } catch (e) {
      refuse(e);
      onClose(false);
    }
  };
  return (
    <Modal title={`Throw away: ${title}`} open onClose={() => onClose(false)}>
      {goes.error ? <p role="alert">{goes.error.message}</p> : null}
      {goes.data ? <p>With it go {what(goes.data)}.</p> : null}
      <p>For 30 days it can be taken back under Keeping. Then it is gone for good.</p>
      <Line style={{ marginTop: 12 }}>
        <Button onPress={() => void act()}>Throw it away</Button>
        <Link onPress={() => onClose(false)}>Leave it</Link>
      </Line>
    </Modal>
  );
}
