import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { Navigate, useParams } from 'react-router';
import styled from 'styled-components';
import { api, bookQuery, rackQuery, type Me } from '../api';
import type { BookChange, BookPreview } from '../api/types';
import { refuse, useInWords } from '../frame/settings';
import { shown, type Entry } from '../model/book';
import { Button, Line, Link, Quiet, Rows, Section, Table } from '../parts/basics';
import { BookForm } from './BookForm';
import { ShopFrame, usePost, WasDone } from './ShopFrame';

/** Cutters and materials are told elsewhere too, and jobs learn that there is a newer book. */
const FOLLOW = [['shop'], ['job']] as const;

const About = styled.p`
  max-width: 62ch;
  margin-bottom: 10px;
`;

/** A book from a file, with what it would change. */
interface Given {
  file: string;
  text: Blob;
  changes: string[];
}

/** The shop's book: what it owns and counts with, chapter by chapter. */
export function BookPage({ me }: { me: Me }) {
  const { chapter: key } = useParams();
  const units = me.units === 'inch' ? 'inch' : 'mm';
  const asked = useQuery(bookQuery);
  const book = useInWords(units, asked.data);
  const rack = useQuery(rackQuery);
  /** Which entry is open, by its place; −1: a new one. */
  const [open, setOpen] = useState<{ chapter: string; at: number; key: number } | null>(null);
  const [given, setGiven] = useState<Given | null>(null);

  const post = usePost(bookQuery.queryKey, FOLLOW);

  const c = book?.chapters.find((x) => x.layout.key === key);
  const named = (of: string) =>
    (book?.chapters.find((x) => x.layout.key === of)?.entries ?? []).map((m) => ({
      id: String(m.value.id as string),
      words: m.name,
    }));
  const materials = named('materials');
  const material = (id: string) => materials.find((m) => m.id === id)?.words ?? id;
  const look = async (f: File) => {
    try {
      // Read once: what was looked through is what will be taken.
      const text = new Blob([await f.arrayBuffer()]);
      setGiven({ file: f.name, text, ...(await api.post<BookPreview>('/api/book/preview', text)) });
    } catch (e) {
      refuse(e);
    }
  };
  if (book && !c) return <Navigate to="/shop" replace />;
  const at = open && open.chapter === key ? open.at : c && !c.layout.many && c.entries.length > 0 ? 0 : null;
  const entry: Entry | null = at === null || !c ? null : at < 0 ? c.fresh : (c.entries[at]?.value ?? null);
  const change = (after: Entry | null, done: string) => {
    if (!c || at === null) return;
    const before = at < 0 ? null : (c.entries[at]?.value ?? null);
    const body: BookChange = { chapter: c.layout.key, before, after, at: at < 0 ? null : at };
    void post('/api/book', body, done).then((ok) => ok && setOpen(null));
  };
  const columns = c?.layout.fields.filter((f) => f.column) ?? [];
  const again = () => setOpen(open && { ...open, key: Date.now() });
  return (
    <ShopFrame
      me={me}
      words={c?.layout.title.toLowerCase() ?? ''}
      at="/api/book"
      history={book}
      post={post}
      book={book}
      pieces={rack.data?.pieces.length}
    >
      <section className="list" aria-label={c?.layout.title ?? 'The shop’s book'}>
        {asked.error ? (
          <p role="alert">
            {asked.error.message} <Link onPress={() => void asked.refetch()}>Try again</Link>
          </p>
        ) : !c ? (
          <Quiet>Looking …</Quiet>
        ) : (
          <>
            <Line style={{ marginBottom: 6 }}>
              <h1>{c.layout.title}</h1>
              {c.fresh && (c.layout.many || c.entries.length === 0) ? (
                <Button $main $small onPress={() => setOpen({ chapter: c.layout.key, at: -1, key: Date.now() })}>
                  A new {c.layout.one}
                </Button>
              ) : null}
            </Line>
            <About>{c.layout.about}</About>
            {c.entries.length === 0 ? (
              <p>The shop has none. What needs one is not proposed, and says so.</p>
            ) : (
              <Table style={{ width: '100%' }}>
                <thead>
                  <tr>
                    <th>{c.layout.one}</th>
                    {columns.map((f) => (
                      <th key={f.key}>{f.words.toLowerCase()}</th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {c.entries.map((x, k) => (
                    // Two entries may be alike in all they say.
                    <tr key={k} data-entry={x.name} data-chosen={at === k}>
                      <td>
                        <Link onPress={() => setOpen({ chapter: c.layout.key, at: k, key: Date.now() })}>{x.name}</Link>
                      </td>
                      {columns.map((f) => (
                        <td key={f.key}>{shown(f, x.value[f.key], units, material)}</td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              </Table>
            )}
            <Quiet as="p" style={{ marginTop: 12, maxWidth: '62ch' }}>
              A job keeps the book it was begun with. When this changes, its page says what differs and offers to plan
              with it.
            </Quiet>
          </>
        )}
      </section>
      <aside className="side" aria-label="An entry, files, what was done">
        {c && entry ? (
          <>
            <h2>{at !== null && at >= 0 ? c.entries[at]?.name : `A new ${c.layout.one}`}</h2>
            <BookForm
              key={`${c.layout.key}${at}${open?.key ?? 0}${book?.revision}`}
              chapter={c.layout}
              entry={entry}
              kept={at !== null && at >= 0}
              materials={materials}
              controls={named('dialects')}
              onDone={(e) => change(e, at !== null && at < 0 ? 'It stands in the book' : 'Changed')}
              onRemove={
                at !== null && at >= 0 && (c.layout.many || c.layout.optional)
                  ? () => change(null, `The ${c.layout.one} is out of the book`)
                  : null
              }
              onLeave={() => (c.layout.many ? setOpen(null) : again())}
            />
          </>
        ) : (
          <Quiet>Press a name to change an entry or to take it out.</Quiet>
        )}
        <Section aria-label="The whole book as a file">
          <h2>The whole book as a file</h2>
          <Line>
            <Button $small onPress={() => void api.take('GET', '/api/book.json').catch(refuse)}>
              Write it (JSON)
            </Button>
            <FileTrigger
              acceptedFileTypes={['.json', '.toml', 'application/json']}
              onSelect={(l) => {
                const f = l?.item(0);
                if (f) void look(f);
              }}
            >
              <Button $small>Read one (JSON, TOML)</Button>
            </FileTrigger>
          </Line>
          {given ? (
            <div role="status" data-given={given.changes.length} style={{ marginTop: 8 }}>
              <p>
                <b>
                  {given.changes.length === 0
                    ? `${given.file} says what the book has already.`
                    : `${given.file} would change:`}
                </b>
              </p>
              <Rows>
                {given.changes.slice(0, 40).map((x) => (
                  <li key={x}>{x}</li>
                ))}
                {given.changes.length > 40 ? <li>and {given.changes.length - 40} more</li> : null}
              </Rows>
              <Line style={{ marginTop: 6 }}>
                {given.changes.length > 0 ? (
                  <Button
                    $small
                    $main
                    onPress={() =>
                      void post('/api/book/import', given.text, `Taken from ${given.file}`).then(() => setGiven(null))
                    }
                  >
                    Take it
                  </Button>
                ) : null}
                <Button $small onPress={() => setGiven(null)}>
                  Leave it
                </Button>
              </Line>
            </div>
          ) : null}
        </Section>
        <WasDone history={book} />
      </aside>
    </ShopFrame>
  );
}
