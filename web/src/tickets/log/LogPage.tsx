import { useInfiniteQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { logQuery } from '../../api';
import type { Me } from '../../api/types';
import { UnitsContext, useInWords, useResting } from '../../frame/settings';
import { useShortcuts } from '../../frame/shortcuts';
import { Top } from '../../frame/Top';
import { Button, Head, Kbd, Line, Quiet } from '../../parts/basics';
import { Find } from '../../parts/Find';
import { Runs } from './Runs';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
  main {
    flex: 1;
    min-height: 0;
    overflow: auto;
    padding: 20px 24px 28px;
  }
  main > * {
    max-width: 1100px;
  }
`;

/** All runs of the shop. */
export function LogPage({ me }: { me: Me }) {
  const navigate = useNavigate();
  const units = me.units === 'inch' ? 'inch' : 'mm';
  const [letters, setLetters] = useState('');
  const find = useResting(letters.trim(), 250);
  const log = useInfiniteQuery(logQuery(find));
  const runs = useInWords(units, log.data?.pages)?.flatMap((p) => p.runs) ?? [];
  useShortcuts(useMemo(() => ({ b: () => void navigate('/') }), [navigate]));
  return (
    <UnitsContext value={units}>
      <Page>
        <Top me={me} title={me.shop} words="Log">
          <Button $small onPress={() => void navigate('/')}>
            To the bench <Kbd>B</Kbd>
          </Button>
        </Top>
        <main>
          <Head style={{ alignItems: 'center' }}>
            <h1>What was run</h1>
            <Find
              label="Find in titles, names, notes and causes"
              hint="Find a run"
              value={letters}
              onChange={setLetters}
            />
          </Head>
          {log.error ? <p role="alert">{log.error.message}</p> : null}
          {runs.length > 0 ? (
            <Runs runs={runs} titles />
          ) : log.isPending ? null : (
            <Quiet>
              {find
                ? `No run speaks of '${find}'.`
                : 'Nothing has been run yet. A run begins on the Run ticket of a job.'}
            </Quiet>
          )}
          {log.hasNextPage ? (
            <Line style={{ marginTop: 14 }}>
              <Button onPress={() => void log.fetchNextPage()}>Older runs</Button>
            </Line>
          ) : null}
        </main>
      </Page>
    </UnitsContext>
  );
}
