import { useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, type Me } from '../api';
import type { BookSheet, RackSheet } from '../api/types';
import { Keys } from '../frame/Keys';
import { refuse, tell, UnitsContext } from '../frame/settings';
import { useShortcuts } from '../frame/shortcuts';
import { Top } from '../frame/Top';
import { Button, Kbd, Quiet, Rows, Section, Sr } from '../parts/basics';
import { Chapters } from './Chapters';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
`;

/** Chapters, a list, and beside it what is open. */
const Body = styled.main`
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr) min(404px, 36vw);
  .list[data-drop-target] {
    outline: 4px dashed ${(p) => p.theme.blue};
    outline-offset: -8px;
  }
  .list {
    overflow: auto;
    padding: 16px 20px 24px;
  }
  .side {
    overflow: auto;
    background: ${(p) => p.theme.card};
    border-left: 1px solid ${(p) => p.theme.edge};
    padding: 16px 20px 24px;
  }
  tr[data-chosen='true'] td {
    background: ${(p) => p.theme.blueWash};
  }
  h2 {
    font-size: 15px;
  }
  .mat td {
    padding-top: 16px;
    border-top: 0;
    font-weight: 600;
  }
`;

type Key = readonly unknown[];
const NONE: readonly Key[] = [];

/** Send something that changes a part of the shop; the answer is how it stands then. Refused: said so, and looked at again. */
export function usePost(key: Key, also: readonly Key[] = NONE) {
  const client = useQueryClient();
  return useCallback(
    async (path: string, body: unknown, done: string) => {
      try {
        client.setQueryData(key, await api.post<unknown>(path, body));
        await Promise.all(also.map((queryKey) => client.invalidateQueries({ queryKey })));
        tell('done', done);
        return true;
      } catch (e) {
        refuse(e);
        await client.invalidateQueries({ queryKey: key });
        return false;
      }
    },
    [client, key, also],
  );
}

/** What was done, and what undo and redo would do. */
type History = Pick<RackSheet, 'acts' | 'undo' | 'redo'>;

interface Props {
  me: Me;
  /** "the rack". */
  words: string;
  /** Where its acts go: "/api/rack". */
  at: string;
  history: History | undefined;
  post: (path: string, body: unknown, done: string) => Promise<boolean>;
  book: BookSheet | undefined;
  pieces: number | undefined;
  children: ReactNode;
}

/** A page of the shop: its chapters at the left, undo and redo of one's own acts at the top. */
export function ShopFrame({ me, words, at, history, post, book, pieces, children }: Props) {
  const navigate = useNavigate();
  const [keys, setKeys] = useState(false);
  const { undo: last = null, redo: next = null } = history ?? {};
  const undo = useCallback(() => void (last && post(`${at}/undo`, null, `Undone: ${last}`)), [at, last, post]);
  const redo = useCallback(() => void (next && post(`${at}/redo`, null, `Made again: ${next}`)), [at, next, post]);
  useShortcuts(
    useMemo(
      () => ({ '?': () => setKeys(true), b: () => void navigate('/'), z: undo, y: redo }),
      [navigate, undo, redo],
    ),
  );
  return (
    <UnitsContext value={me.units === 'inch' ? 'inch' : 'mm'}>
      <Page>
        <Top me={me} title={me.shop} words={`Shop: ${words}`}>
          <Button $small onPress={undo} isDisabled={!last}>
            Undo <Sr>{last}</Sr> <Kbd>Z</Kbd>
          </Button>
          <Button $small onPress={redo} isDisabled={!next}>
            Redo <Sr>{next}</Sr> <Kbd>Y</Kbd>
          </Button>
          <Button $small onPress={() => void navigate('/')}>
            To the bench <Kbd>B</Kbd>
          </Button>
        </Top>
        <Body>
          <Chapters book={book} pieces={pieces} />
          {children}
        </Body>
        <Keys open={keys} onClose={() => setKeys(false)} />
      </Page>
    </UnitsContext>
  );
}

/** The last acts, the newest first. */
export function WasDone({ history }: { history: History | undefined }) {
  return (
    <Section aria-label="What was done">
      <h2>What was done</h2>
      {history && history.acts.length > 0 ? (
        <Rows>
          {history.acts.map((a) => (
            <li key={a.at + a.words}>
              {a.words}{' '}
              <Quiet>
                {a.who}, {a.at.slice(0, 16).replace('T', ' ')}
              </Quiet>
            </li>
          ))}
        </Rows>
      ) : (
        <Quiet>Nothing yet.</Quiet>
      )}
    </Section>
  );
}
