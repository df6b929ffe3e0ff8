import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useState } from 'react';
import { DropZone } from 'react-aria-components';
import { useNavigate } from 'react-router';
import { api, bookQuery, rackQuery, shopQuery, type Me } from '../api';
import type { Piece, RackAct, RackPreview, RackSheet } from '../api/types';
import { Keys } from '../frame/Keys';
import { refuse, tell, UnitsContext, useInWords } from '../frame/settings';
import { useShortcuts } from '../frame/shortcuts';
import { Top } from '../frame/Top';
import { formWords, newPiece, skinWords } from '../model/pieces';
import { Button, Kbd, Line, Link, Quiet, Rows, Section, Sr, Table } from '../parts/basics';
import { Find } from '../parts/Find';
import { Import, type LookedThrough } from './Import';
import { Chapters } from './Chapters';
import { Body, Page } from './page';
import { PieceForm } from './PieceForm';

/** The shop: its rack. */
export function ShopPage({ me }: { me: Me }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const units = me.units === 'inch' ? 'inch' : 'mm';
  const asked = useQuery(rackQuery);
  const rack = { ...asked, data: useInWords(units, asked.data) };
  const shop = useQuery(shopQuery);
  const book = useInWords(units, useQuery(bookQuery).data);
  const [form, setForm] = useState<{ piece: Piece; was: string | null; key: number } | null>(null);
  const [preview, setPreview] = useState<LookedThrough | null>(null);
  const [find, setFind] = useState('');
  const [keys, setKeys] = useState(false);

  const post = useCallback(
    async (path: string, body: unknown, done: string) => {
      try {
        client.setQueryData(rackQuery.queryKey, await api.post<RackSheet>(path, body));
        tell('done', done);
        return true;
      } catch (e) {
        refuse(e);
        await client.invalidateQueries({ queryKey: rackQuery.queryKey });
        return false;
      }
    },
    [client],
  );
  const look = async (f: File) => {
    try {
      // Read once: what was looked through is what will be taken, whatever becomes of the file meanwhile.
      const table = new Blob([await f.arrayBuffer()]);
      setPreview({ table, ...(await api.post<RackPreview>('/api/rack/preview', table)) });
    } catch (e) {
      refuse(e);
    }
  };
  const act = (a: RackAct, done: string) => post('/api/rack', a, done);
  const { undo: last = null, redo: next = null } = rack.data ?? {};
  const undo = useCallback(() => void (last && post('/api/rack/undo', null, `Undone: ${last}`)), [last, post]);
  const redo = useCallback(() => void (next && post('/api/rack/redo', null, `Made again: ${next}`)), [next, post]);
  const open = (piece: Piece, was: string | null) => setForm({ piece, was, key: Date.now() });
  const first = shop.data?.materials[0]?.id ?? '';

  useShortcuts(
    useMemo(
      () => ({ '?': () => setKeys(true), b: () => void navigate('/'), z: undo, y: redo }),
      [navigate, undo, redo],
    ),
  );

  const name = (id: string) => shop.data?.materials.find((m) => m.id === id)?.name ?? id;
  const wanted = find.trim().toLowerCase();
  const pieces = (rack.data?.pieces ?? []).filter((p) =>
    `${p.name} ${formWords(p.shape, units)} ${name(p.material)} ${p.note}`.toLowerCase().includes(wanted),
  );
  const materials = [...new Set(pieces.map((p) => p.material))];
  return (
    <UnitsContext value={units}>
      <Page>
        <Top me={me} title={me.shop} words="Shop: the rack">
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
          <Chapters book={book} pieces={rack.data?.pieces.length} />
          <DropZone
            className="list"
            aria-label="Pieces in the rack; drop a table here to read it"
            getDropOperation={(types) => (types.has('text/plain') ? 'cancel' : 'copy')}
            onDrop={(e) => {
              const f = e.items.find((i) => i.kind === 'file');
              if (f?.kind === 'file') void f.getFile().then(look);
            }}
          >
            <Line style={{ marginBottom: 8 }}>
              <h1>The rack</h1>
              <Button $main $small onPress={() => open(newPiece(first), null)} isDisabled={!shop.data}>
                A new piece
              </Button>
              <Find label="Find a piece" hint="Find: brass, 40, drawer" value={find} onChange={setFind} />
              <Quiet>
                {pieces.length} of {rack.data?.pieces.length ?? 0}
              </Quiet>
            </Line>
            {rack.error ? (
              <p role="alert">
                {rack.error.message} <Link onPress={() => void rack.refetch()}>Try again</Link>
              </p>
            ) : rack.isPending ? (
              <Quiet>Looking …</Quiet>
            ) : pieces.length === 0 ? (
              <p>
                {wanted
                  ? 'No piece has these words.'
                  : 'The rack is empty. Put a piece in, or read a table of what you have: then each job is laid into what is there.'}
              </p>
            ) : (
              <Table>
                <thead>
                  <tr>
                    <th>tag</th>
                    <th>piece ({units})</th>
                    <th>faces</th>
                    <th className="n">left</th>
                    <th className="n">cost</th>
                    <th>note</th>
                  </tr>
                </thead>
                {materials.map((m) => (
                  <tbody key={m}>
                    <tr className="mat">
                      <td colSpan={6}>{name(m)}</td>
                    </tr>
                    {pieces
                      .filter((p) => p.material === m)
                      .map((p) => (
                        <tr key={p.name} data-tag={p.name} data-chosen={form?.was === p.name}>
                          <td>
                            <Link onPress={() => open(p, p.name)}>{p.name}</Link>
                          </td>
                          <td>{formWords(p.shape, units)}</td>
                          <td>{skinWords(p.skin)}</td>
                          <td className="n">{p.quantity}</td>
                          <td className="n">{p.cost === null ? '' : p.cost.toFixed(2)}</td>
                          <td>
                            <Quiet>
                              {[p.remnant_of ? `rest of ${p.remnant_of}` : '', p.note].filter(Boolean).join('; ')}
                            </Quiet>
                          </td>
                        </tr>
                      ))}
                  </tbody>
                ))}
              </Table>
            )}
          </DropZone>
          <aside className="side" aria-label="A piece, tables, what was done">
            {form && shop.data ? (
              <>
                <h2>{form.was === null ? 'A new piece' : form.was}</h2>
                <PieceForm
                  key={form.key}
                  piece={form.piece}
                  was={form.was}
                  materials={shop.data.materials}
                  onDone={(piece) =>
                    void act({ act: 'put', piece, was: form.was }, `${piece.name} is in the rack`).then(
                      (ok) => ok && setForm(null),
                    )
                  }
                  onUse={() =>
                    void act(
                      { act: 'take', tag: form.was ?? '', job: null, remnants: [] },
                      `One ${form.was} is used`,
                    ).then(() => setForm(null))
                  }
                  onRemove={() =>
                    void act({ act: 'remove', tag: form.was ?? '' }, `${form.was} is out of the rack`).then(() =>
                      setForm(null),
                    )
                  }
                  onLeave={() => setForm(null)}
                />
              </>
            ) : (
              <Quiet>Press a tag to change a piece, to use one up or to take it out.</Quiet>
            )}
            <Section aria-label="Tables">
              <h2>Tables</h2>
              <Import
                preview={preview}
                look={(f) => void look(f)}
                setPreview={setPreview}
                onTake={(p) => void post('/api/rack/import', p.table, `${p.pieces.length} pieces came from the table`)}
              />
            </Section>
            <Section aria-label="What was done">
              <h2>What was done</h2>
              {rack.data && rack.data.acts.length > 0 ? (
                <Rows>
                  {rack.data.acts.map((a) => (
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
          </aside>
        </Body>
        <Keys open={keys} onClose={() => setKeys(false)} />
      </Page>
    </UnitsContext>
  );
}
