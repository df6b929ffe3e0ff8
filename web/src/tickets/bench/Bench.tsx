import { useInfiniteQuery, useMutation, useQueryClient, type InfiniteData } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { DropZone, FileTrigger } from 'react-aria-components';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { api, jobsQuery, type BenchPage, type JobCard, type Me } from '../../api';
import { Keys } from '../../frame/Keys';
import { refuse, tell, UnitsContext, useInWords, useResting } from '../../frame/settings';
import { useShortcuts } from '../../frame/shortcuts';
import { Top } from '../../frame/Top';
import { listen } from '../../frame/stream';
import { withCard, without, type Look } from '../../model/bench';
import { Find } from '../../parts/Find';
import { Button, Either, Kbd, Line, Quiet } from '../../parts/basics';
import { Card } from './Card';
import { Keeping, Throw } from './Keeping';
import { People } from './People';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
`;

const Desk = styled(DropZone)`
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 20px 24px 28px;
  background-image:
    linear-gradient(${(p) => p.theme.grid} 1px, transparent 1px),
    linear-gradient(90deg, ${(p) => p.theme.grid} 1px, transparent 1px);
  background-size: 40px 40px;
  &[data-drop-target] {
    outline: 4px dashed ${(p) => p.theme.blue};
    outline-offset: -10px;
    background-color: ${(p) => p.theme.blueWash};
  }
  .head {
    display: flex;
    align-items: center;
    gap: 16px;
    margin-bottom: 16px;
    flex-wrap: wrap;
  }
  .cards {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(288px, 1fr));
    gap: 16px;
  }
  .none {
    margin: 60px auto;
    max-width: 520px;
    text-align: center;
    display: grid;
    gap: 10px;
    justify-items: center;
  }
`;

/** The start: the jobs as cards; a model dropped here becomes one. */
export function Bench({ me }: { me: Me }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [away, setAway] = useState(false);
  const [letters, setLetters] = useState('');
  const find = useResting(letters.trim(), 250);
  const jobs = useInfiniteQuery(jobsQuery({ archived: away, find }));
  const pages = useInWords(me.units === 'inch' ? 'inch' : 'mm', jobs.data?.pages);
  const [keys, setKeys] = useState(false);
  const [people, setPeople] = useState(false);
  const [keeping, setKeeping] = useState(false);
  const [thrown, setThrown] = useState<JobCard | null>(null);

  useEffect(() => {
    const put = (f: (pages: BenchPage[], look: Look) => BenchPage[]) => {
      for (const [key] of client.getQueriesData<InfiniteData<BenchPage>>({ queryKey: ['jobs'] }))
        client.setQueryData<InfiniteData<BenchPage>>(key, (old) =>
          old ? { ...old, pages: f(old.pages, key[1] as Look) } : old,
        );
    };
    return listen({
      // The stream begins, perhaps again: what was looked at may be old.
      bench: () => void client.invalidateQueries({ queryKey: ['jobs'] }),
      card: (card) => {
        put((pages, look) => withCard(pages, card, look));
      },
      gone: (id) => {
        put((pages) => without(pages, id));
      },
    });
  }, [client]);

  useShortcuts(useMemo(() => ({ '?': () => setKeys(true) }), []));

  const upload = useMutation({
    mutationFn: async (files: File[]) => {
      const made: JobCard[] = [];
      for (const f of files) {
        made.push(await api.post<JobCard>(`/api/jobs?file=${encodeURIComponent(f.name)}`, f));
      }
      return made;
    },
    onSuccess: (made) => {
      if (made.length === 1 && made[0]) void navigate(`/jobs/${made[0].id}/part`);
      else tell('done', `${made.length} jobs began`);
    },
    onError: refuse,
    onSettled: () => client.invalidateQueries({ queryKey: ['jobs'] }),
  });

  const change = async (path: string, body: unknown) => {
    try {
      await api.act('PATCH', path, body);
    } catch (e) {
      refuse(e);
    }
    await client.invalidateQueries();
  };

  const shown = pages?.flatMap((p) => p.jobs) ?? [];
  const put = pages?.[0]?.archived ?? 0;
  const units = me.units === 'inch' ? 'inch' : 'mm';
  return (
    <UnitsContext value={units}>
      <Page>
        <Top me={me} title={me.shop} words="Bench">
          <Button $small onPress={() => void navigate('/shop')}>
            The rack
          </Button>
          <Button $small onPress={() => void navigate('/log')}>
            Log
          </Button>
          <Button $small onPress={() => setPeople(true)}>
            People
          </Button>
          <Button $small onPress={() => setKeeping(true)}>
            Keeping
          </Button>
          {me.owner ? (
            <Button $small onPress={() => change('/api/shop', { units: units === 'mm' ? 'inch' : 'mm' })}>
              <Either of="Lengths of the shop in" words={['mm', 'inch']} second={units === 'inch'} />
            </Button>
          ) : (
            <Quiet>{units}</Quiet>
          )}
        </Top>
        <main style={{ flex: 1, minHeight: 0, display: 'flex' }}>
          <Desk
            aria-label="Drop models to begin jobs"
            getDropOperation={(types) => (types.has('text/plain') ? 'cancel' : 'copy')}
            onDrop={(e) =>
              void Promise.all(e.items.flatMap((i) => (i.kind === 'file' ? [i.getFile()] : []))).then(
                (f) => f.length > 0 && upload.mutate(f),
              )
            }
          >
            <div className="head">
              <h1>{away ? 'Archive' : 'On the bench'}</h1>
              <FileTrigger
                acceptedFileTypes={['.step', '.stp', '.stl', '.3mf', '.dxf']}
                allowsMultiple
                onSelect={(l) => l && upload.mutate(Array.from(l))}
              >
                <Button $main isDisabled={upload.isPending}>
                  {upload.isPending ? 'Taking the file …' : 'Begin a job from a model'}
                </Button>
              </FileTrigger>
              <Quiet>STEP, STL, 3MF or a DXF outline; or drop it anywhere here</Quiet>
              <Line style={{ marginLeft: 'auto' }}>
                <Find label="Find a job by its title or file" hint="Find a job" value={letters} onChange={setLetters} />
                {put > 0 || away ? (
                  <Button $small onPress={() => setAway(!away)}>
                    {away ? 'Back to the bench' : `Archive (${put})`}
                  </Button>
                ) : null}
                <Button $small onPress={() => setKeys(true)}>
                  All keys <Kbd>?</Kbd>
                </Button>
              </Line>
            </div>
            {jobs.error ? (
              <div className="none" role="alert">
                <h2>The jobs could not be read</h2>
                <p>{jobs.error.message}</p>
                <Button onPress={() => void jobs.refetch()}>Try again</Button>
              </div>
            ) : shown.length === 0 && !jobs.isPending ? (
              <div className="none">
                <h2>{find ? `No job is called '${find}'` : away ? 'Nothing is put away' : 'The bench is clear'}</h2>
                {find ? (
                  <Button onPress={() => setLetters('')}>Show all</Button>
                ) : away ? null : (
                  <p>
                    Drop a model of a part: STEP, STL, 3MF, or an outline as DXF. Stock, sides, order, cutters, programs
                    and their proof follow without a question.
                  </p>
                )}
              </div>
            ) : (
              <div className="cards">
                {shown.map((j) => (
                  <Card
                    key={j.id}
                    job={j}
                    onPut={() => change(`/api/jobs/${j.id}`, { title: null, archived: !j.archived })}
                    onThrow={() => setThrown(j)}
                    onName={(title) => change(`/api/jobs/${j.id}`, { title, archived: null })}
                  />
                ))}
              </div>
            )}
            {jobs.hasNextPage ? (
              <Line style={{ justifyContent: 'center', marginTop: 20 }}>
                <Button onPress={() => void jobs.fetchNextPage()} isDisabled={jobs.isFetchingNextPage}>
                  {jobs.isFetchingNextPage ? 'Looking …' : 'Older jobs'}
                </Button>
              </Line>
            ) : null}
          </Desk>
        </main>
        <People me={me} open={people} onClose={() => setPeople(false)} />
        <Keeping me={me} open={keeping} onClose={() => setKeeping(false)} />
        {thrown ? (
          <Throw
            id={thrown.id}
            title={thrown.title}
            onClose={(gone) => {
              setThrown(null);
              if (gone) void client.invalidateQueries({ queryKey: ['jobs'] });
            }}
          />
        ) : null}
        <Keys open={keys} onClose={() => setKeys(false)} />
      </Page>
    </UnitsContext>
  );
}
