import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import styled from 'styled-components';
import { api, peopleQuery } from '../../api';
import type { Entry, Me } from '../../api/types';
import { tell } from '../../frame/settings';
import { Button, Link, Quiet, Rows, Section } from '../../parts/basics';
import { Modal } from '../../parts/Modal';

const Form = styled.form`
  display: flex;
  gap: 12px;
  align-items: end;
  flex-wrap: wrap;
  margin-top: 8px;
  label {
    display: grid;
  }
  input {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 4px 8px;
  }
`;

const Who = styled.li`
  display: flex;
  gap: 16px;
  align-items: baseline;
  .name {
    flex: 1;
  }
`;

const Happened = styled.ol`
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  max-height: 220px;
  overflow: auto;
  li {
    display: grid;
    grid-template-columns: 148px 96px 1fr;
    gap: 10px;
    padding: 3px 0;
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
  .words {
    overflow-wrap: anywhere;
  }
`;

const when = (at: string) => at.replace('T', ' ').replace('Z', '');
const trouble = (x: unknown) => (x instanceof Error ? x.message : 'That did not work');

/** A form whose refusal stands below it. */
function Asking({
  label,
  act,
  children,
  done,
  button,
}: {
  label: string;
  act: (data: FormData) => Promise<unknown>;
  children: React.ReactNode;
  done: string;
  button: string;
}) {
  const [why, setWhy] = useState<string | null>(null);
  const send = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = e.currentTarget;
    try {
      await act(new FormData(form));
      form.reset();
      setWhy(null);
      tell('done', done);
    } catch (x) {
      setWhy(trouble(x));
    }
  };
  return (
    <>
      <Form onSubmit={(e) => void send(e)} aria-label={label}>
        {children}
        <Button type="submit">{button}</Button>
      </Form>
      {why ? <p role="alert">{why}</p> : null}
    </>
  );
}

/** Who did what when, the newest first. */
function Audit() {
  const pages = useInfiniteQuery({
    queryKey: ['audit'],
    queryFn: ({ pageParam }) => api.get<Entry[]>(`/api/audit${pageParam ? `?before=${pageParam}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length === 100 ? last[99]?.id : undefined),
  });
  const all = pages.data?.pages.flat() ?? [];
  return (
    <>
      <Happened aria-label="What happened" tabIndex={0}>
        {all.map((e) => (
          <li key={e.id}>
            <Quiet>{when(e.at)}</Quiet>
            <span>{e.who}</span>
            <span className="words">
              {e.words} {e.client ? <Quiet>from {e.client}</Quiet> : null}
            </span>
          </li>
        ))}
      </Happened>
      {pages.hasNextPage ? <Link onPress={() => void pages.fetchNextPage()}>Older ones</Link> : null}
    </>
  );
}

/** Who may sign in to this shop: one's own password; the owner adds people, makes owners and lets nobody in who has left. */
export function People({ me, open, onClose }: { me: Me; open: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const people = useQuery({ ...peopleQuery, enabled: open });
  const [leaving, setLeaving] = useState<string | null>(null);
  const again = async () => {
    await client.invalidateQueries({ queryKey: peopleQuery.queryKey });
    await client.invalidateQueries({ queryKey: ['audit'] });
    await client.invalidateQueries({ queryKey: ['me'] });
  };
  const change = async (what: () => Promise<unknown>, done: string) => {
    try {
      await what();
      tell('done', done);
    } catch (x) {
      tell('refused', trouble(x));
    }
    setLeaving(null);
    await again();
  };
  const at = (name: string) => `/api/people/${encodeURIComponent(name)}`;
  return (
    <Modal title="People of the shop" open={open} onClose={onClose}>
      <Rows>
        {people.data?.map((p) => (
          <Who key={p.name}>
            <span className="name">
              {p.name} <Quiet>{p.owner ? 'owner: keeps people and copies' : 'member'}</Quiet>
            </span>
            {me.owner ? (
              <>
                <Link
                  aria-label={`Make ${p.owner ? 'a member' : 'an owner'}: ${p.name}`}
                  onPress={() =>
                    void change(
                      () => api.act('PATCH', at(p.name), { owner: !p.owner }),
                      `${p.name} is ${p.owner ? 'a member' : 'an owner'} now`,
                    )
                  }
                >
                  {p.owner ? 'Make a member' : 'Make an owner'}
                </Link>
                {leaving === p.name ? (
                  <Button
                    $small
                    onPress={() =>
                      void change(() => api.act('DELETE', at(p.name), undefined), `${p.name} may no longer sign in`)
                    }
                  >
                    {p.name} leaves: yes
                  </Button>
                ) : (
                  <Link aria-label={`Leaves the shop: ${p.name}`} onPress={() => setLeaving(p.name)}>
                    Leaves the shop
                  </Link>
                )}
              </>
            ) : null}
          </Who>
        ))}
      </Rows>
      {me.owner ? (
        <Asking
          label="New person"
          button="Add"
          done="They can sign in now"
          act={async (data) => {
            await api.act('POST', '/api/people', { name: data.get('name'), password: data.get('password') });
            await again();
          }}
        >
          <label>
            Name
            <input name="name" required maxLength={80} autoComplete="off" />
          </label>
          <label>
            Password, at least 10 characters
            <input name="password" type="password" required minLength={10} autoComplete="new-password" />
          </label>
        </Asking>
      ) : null}
      <Section>
        <h3>Your password</h3>
        <Asking
          label="Your password"
          button="Change"
          done="It holds from now on; your other screens are signed out"
          act={(data) => api.act('POST', '/api/me/password', { old: data.get('old'), new: data.get('new') })}
        >
          <label>
            The one that holds now
            <input name="old" type="password" required autoComplete="current-password" />
          </label>
          <label>
            The new one, at least 10 characters
            <input name="new" type="password" required minLength={10} autoComplete="new-password" />
          </label>
        </Asking>
      </Section>
      {me.owner && open ? (
        <Section>
          <h3>What happened</h3>
          <Audit />
        </Section>
      ) : null}
    </Modal>
  );
}
