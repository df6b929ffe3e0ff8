import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import styled from 'styled-components';
import { api, peopleQuery } from '../../api';
import { tell } from '../../frame/settings';
import { Button, Quiet, Rows } from '../../parts/basics';
import { Modal } from '../../parts/Modal';

const Form = styled.form`
  display: flex;
  gap: 12px;
  align-items: end;
  margin-top: 14px;
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

/** Who may sign in to this shop; the owner adds members. */
export function People({ open, onClose }: { open: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const people = useQuery({ ...peopleQuery, enabled: open });
  const [why, setWhy] = useState<string | null>(null);
  const add = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = e.currentTarget;
    const data = new FormData(form);
    try {
      await api.act('POST', '/api/people', { name: data.get('name'), password: data.get('password') });
      form.reset();
      setWhy(null);
      tell('done', 'They can sign in now');
      await client.invalidateQueries({ queryKey: peopleQuery.queryKey });
    } catch (x) {
      setWhy(x instanceof Error ? x.message : 'That did not work');
    }
  };
  return (
    <Modal title="People of the shop" open={open} onClose={onClose}>
      <Rows>
        {people.data?.map((p) => (
          <li key={p.name}>
            {p.name} <Quiet>{p.owner ? 'owner: may change the shop' : 'member'}</Quiet>
          </li>
        ))}
      </Rows>
      <Form onSubmit={(e) => void add(e)} aria-label="New person">
        <label>
          Name
          <input name="name" required maxLength={80} autoComplete="off" />
        </label>
        <label>
          Password, at least 10 characters
          <input name="password" type="password" required minLength={10} autoComplete="new-password" />
        </label>
        <Button type="submit">Add</Button>
      </Form>
      {why ? <p role="alert">{why}</p> : null}
    </Modal>
  );
}
