import { useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import styled from 'styled-components';
import { api } from '../api';
import { Button, Quiet } from '../parts/basics';
import { Mark } from './Top';

const Page = styled.main`
  height: 100%;
  display: grid;
  place-items: center;
  background-image:
    linear-gradient(${(p) => p.theme.grid} 1px, transparent 1px),
    linear-gradient(90deg, ${(p) => p.theme.grid} 1px, transparent 1px);
  background-size: 40px 40px;
  form {
    width: 340px;
    background: ${(p) => p.theme.card};
    border: 1px solid ${(p) => p.theme.ink};
    border-top: 5px solid ${(p) => p.theme.blue};
    padding: 24px 28px;
    display: grid;
    gap: 12px;
  }
  .name {
    display: flex;
    align-items: center;
    gap: 10px;
  }
  label {
    display: grid;
    gap: 2px;
  }
  input {
    border: 1px solid ${(p) => p.theme.edge};
    border-radius: 3px;
    background: ${(p) => p.theme.card};
    padding: 6px 8px;
  }
  .why {
    color: ${(p) => p.theme.red};
  }
`;

/** Name and password. */
export function SignIn({ trouble }: { trouble?: string }) {
  const client = useQueryClient();
  const [why, setWhy] = useState<string | null>(trouble ?? null);
  const [busy, setBusy] = useState(false);
  const send = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    setBusy(true);
    try {
      await api.act('POST', '/api/session', { name: form.get('name'), password: form.get('password') });
      setWhy(null);
      client.clear();
      await client.invalidateQueries();
      await client.refetchQueries({ queryKey: ['me'] });
      location.reload();
    } catch (x) {
      setWhy(x instanceof Error ? x.message : 'That did not work');
      setBusy(false);
    }
  };
  return (
    <Page>
      <form onSubmit={send} aria-label="Sign in">
        <div className="name">
          <Mark size={34} />
          <h1>Gold Chip</h1>
        </div>
        <Quiet>From a model to proved programs, with every reason.</Quiet>
        <label>
          Name
          <input name="name" autoComplete="username" autoFocus required />
        </label>
        <label>
          Password
          <input name="password" type="password" autoComplete="current-password" required />
        </label>
        {why ? (
          <p className="why" role="alert">
            {why}
          </p>
        ) : null}
        <Button $main type="submit" isDisabled={busy}>
          Sign in
        </Button>
      </form>
    </Page>
  );
}
