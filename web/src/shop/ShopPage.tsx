import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { DropZone } from 'react-aria-components';
import { api, bookQuery, rackQuery, shopQuery, type Me } from '../api';
import type { Piece, RackAct, RackPreview } from '../api/types';
import { refuse, useInWords } from '../frame/settings';
import { formWords, newPiece, skinWords } from '../model/pieces';
import { Button, Line, Link, Quiet, Section, Table } from '../parts/basics';
import { Find } from '../parts/Find';
import { Import, type LookedThrough } from './Import';
import { PieceForm } from './PieceForm';
import { ShopFrame, usePost, WasDone } from './ShopFrame';

/** The shop: its rack. */
export function ShopPage({ me }: { me: Me }) {
  const units = me.units === 'inch' ? 'inch' : 'mm';
  const asked = useQuery(rackQuery);
  const rack = { ...asked, data: useInWords(units, asked.data) };
  const shop = useQuery(shopQuery);
  const book = useInWords(units, useQuery(bookQuery).data);
  const [form, setForm] = useState<{ piece: Piece; was: string | null; key: number } | null>(null);
  const [preview, setPreview] = useState<LookedThrough | null>(null);
  const [find, setFind] = useState('');

  const post = usePost(rackQuery.queryKey);
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
  const open = (piece: Piece, was: string | null) => setForm({ piece, was, key: Date.now() });
  const first = shop.data?.materials[0]?.id ?? '';

  const name = (id: string) => shop.data?.materials.find((m) => m.id === id)?.name ?? id;
  const wanted = find.trim().toLowerCase();
  const pieces = (rack.data?.pieces ?? []).filter((p) =>
    `${p.name} ${formWords(p.shape, units)} ${name(p.material)} ${p.note}`.toLowerCase().includes(wanted),
  );
  const materials = [...new Set(pieces.map((p) => p.material))];
  return (
    <ShopFrame
      me={me}
      words="the rack"
      at="/api/rack"
      history={rack.data}
      post={post}
      book={book}
      pieces={rack.data?.pieces.length}
    >
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
                void act({ act: 'take', tag: form.was ?? '', job: null, remnants: [] }, `One ${form.was} is used`).then(
                  () => setForm(null),
                )
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
        <WasDone history={rack.data} />
      </aside>
    </ShopFrame>
  );
}
