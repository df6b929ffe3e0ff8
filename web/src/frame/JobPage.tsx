import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { Navigate, useNavigate, useParams, useSearchParams } from 'react-router';
import styled from 'styled-components';
import {
  api,
  historyQuery,
  jobQuery,
  jobShopQuery,
  meshBeforeQuery,
  meshOthersQuery,
  meshQuery,
  partQuery,
  sheetQuery,
  sliceQuery,
  stripQuery,
} from '../api';
import type { Decision, Finding, JobState, Me, Place, Sheet } from '../api/types';
import { changes } from '../model/changes';
import { atLine, beside, type Cursor } from '../model/strip';
import { say } from '../model/units';
import { Button, Either, Kbd, Sr } from '../parts/basics';
import type { Picked, Play } from '../stage/scene';
import { Stage, type Cut } from '../stage/Stage';
import type { Dim } from '../stage/scene';
import { CuttersTicket } from '../tickets/cutters/CuttersTicket';
import { WindowPane } from '../tickets/cutters/WindowPane';
import { HoldTicket } from '../tickets/hold/HoldTicket';
import { OrderTicket } from '../tickets/order/OrderTicket';
import { Look } from '../tickets/part/Look';
import { painted, type PaintBy } from '../tickets/part/paint';
import { LogTicket } from '../tickets/log/LogTicket';
import { PartTicket } from '../tickets/part/PartTicket';
import { ProgramTicket } from '../tickets/program/ProgramTicket';
import { ProofTicket } from '../tickets/proof/ProofTicket';
import { RunTicket } from '../tickets/run/RunTicket';
import { useStockBench } from '../tickets/stock/bench';
import { onStage } from '../tickets/stock/onStage';
import { StockTicket } from '../tickets/stock/StockTicket';
import { Checks } from './Checks';
import { Decisions } from './Decisions';
import { allOps, JobContext, TICKETS, type Job, type Ticket } from './job';
import { useEvents } from './events';
import { Keys } from './Keys';
import { NewerBook } from './NewerBook';
import { Over, OverPart, OverStock } from './Over';
import { PartContext, type PartDesk } from './part';
import { StockContext, type StockDesk } from './stock';
import { ProofStrip } from './ProofStrip';
import { RouteStrip } from './RouteStrip';
import { refuse, Store, tell, themeName, UnitsContext, useInWords, useResting } from './settings';
import { useShortcuts } from './shortcuts';
import { Top } from './Top';

const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
`;

const none: readonly Dim[] = [];

/** The stage, and under it what some tickets add. */
const Left = styled.div`
  min-height: 0;
  min-width: 0;
  display: flex;
  flex-direction: column;
  > :first-child {
    flex: 1;
  }
`;

const Body = styled.main`
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) min(548px, 50vw);
  .card h2 {
    font-size: 15px;
  }
  .card {
    min-height: 0;
    overflow: auto;
    background: ${(p) => p.theme.card};
    border-left: 1px solid ${(p) => p.theme.edge};
    padding: 16px 20px 20px;
  }
  .empty {
    grid-column: 1 / -1;
    display: grid;
    place-content: center;
    justify-items: center;
    gap: 12px;
    max-width: 640px;
    margin: auto;
    text-align: center;
  }
`;

const cards: Record<Exclude<Ticket, 'part' | 'stock'>, () => React.JSX.Element> = {
  hold: HoldTicket,
  order: OrderTicket,
  cutters: CuttersTicket,
  proof: ProofTicket,
  program: ProgramTicket,
  run: RunTicket,
  log: LogTicket,
};

export function JobPage({ me }: { me: Me }) {
  const { id: text, ticket = 'part' } = useParams();
  const id = Number(text);
  const state = useQuery(jobQuery(id));
  if (!TICKETS.includes(ticket as Ticket)) return <Navigate to={`/jobs/${id}/part`} replace />;
  if (state.isPending) return <Page />;
  if (state.error)
    return (
      <Page>
        <Top me={me} title="Gold Chip" words="" />
        <Body>
          <div className="empty">
            <h1>{state.error.message}</h1>
            <p>It may have been put away, or it belongs to another shop.</p>
          </div>
        </Body>
      </Page>
    );
  return <Open key={id} id={id} me={me} state={state.data} ticket={ticket as Ticket} />;
}

function Open({ id, me, state: told, ticket }: { id: number; me: Me; state: JobState; ticket: Ticket }) {
  const units = told.settled.units ?? (me.units === 'inch' ? 'inch' : 'mm');
  const state = useInWords<JobState>(units, told);
  const client = useQueryClient();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const sheet = useQuery(sheetQuery(id, state.sheet_revision));
  const strip = { data: useInWords(units, useQuery(stripQuery(id, state.sheet_revision)).data) };
  const shop = useQuery(jobShopQuery(id, state.settled.shop));
  const reading = Object.entries(state.settled.answers ?? {})
    .filter(([q]) => !/^(hole|point|radii|hair)\//.test(q))
    .map(([q, a]) => `${q}=${a}`)
    .concat(state.settled.model?.sha ?? 'first')
    .join('|');
  const mesh = useQuery(meshQuery(id, reading));
  const part = useInWords(units, useQuery(partQuery(id, state.card.revision)).data);
  const [cursor] = useState(() => new Store<Cursor>({ setup: 0, at: -1 }));
  const [side, setSide] = useState(0);
  const [places, setPlaces] = useState<readonly Place[]>([]);
  const [faces, setFaces] = useState<readonly number[]>([]);
  const [checks, setChecks] = useState(false);
  const [keys, setKeys] = useState(false);
  const [decisions, setDecisions] = useState(false);
  const [hover, setHover] = useState<number | null>(null);
  const [ruler, setRuler] = useState<[Picked | null, Picked | null]>([null, null]);
  useEvents(id);
  const s = useInWords(units, sheet.data);

  const go = useCallback((t: Ticket) => void navigate(`/jobs/${id}/${t}${location.search}`), [navigate, id]);
  const act = useCallback(
    async (path: string, body: unknown, done: string | null) => {
      try {
        const waits = () =>
          tell('done', 'The server is away. Your change waits here and is saved as soon as it is back');
        let waited = false;
        await api.once(`/api/jobs/${id}/${path}`, body, () => {
          waited = true;
          waits();
        });
        if (done ?? waited) tell('done', done ?? 'Saved');
      } catch (e) {
        refuse(e);
      }
      await client.invalidateQueries({ queryKey: ['job', id] });
    },
    [client, id],
  );
  const decide = useCallback(
    (decision: Decision) => void act('decisions', { revision: state.card.revision, decision }, null),
    [act, state.card.revision],
  );
  const undo = useCallback(() => void act('undo', undefined, `Undone: ${state.undo ?? ''}`), [act, state.undo]);
  const redo = useCallback(() => void act('redo', undefined, `Made again: ${state.redo ?? ''}`), [act, state.redo]);

  const chosenId = search.get('op');
  const chosen = useMemo(() => {
    if (!s) return null;
    const ops = allOps(s);
    return ops.find((o) => o.op.op.id === chosenId) ?? ops.toSorted((a, b) => b.op.minutes - a.op.minutes)[0] ?? null;
  }, [s, chosenId]);
  const choose = useCallback(
    (op: string) => {
      setSearch({ op }, { replace: true });
    },
    [setSearch],
  );
  // Order and cutters show the stock after the chosen step; the first look at the proof is the end of the first side.
  const after = ticket === 'order' || ticket === 'cutters' ? chosen : null;
  useEffect(() => {
    if (!strip.data) return;
    const t = after && strip.data.setups[after.sideIndex]?.ops.find((o) => o.id === after.op.op.id);
    if (after && t) cursor.set({ setup: after.sideIndex, at: t.end });
    else if (cursor.get().at < 0) cursor.set({ setup: 0, at: strip.data.setups[0]?.seconds ?? 0 });
  }, [after, strip.data, cursor]);

  // A plan that followed a decision says what it changed.
  const was = useRef<{ revision: number | null; sheet: Sheet } | null>(null);
  useEffect(() => {
    if (!s || sheet.isPlaceholderData) return;
    const old = was.current;
    was.current = { revision: state.sheet_revision, sheet: s };
    if (!old || old.revision === state.sheet_revision) return;
    const said = changes(old.sheet, s, units);
    if (said.length > 0) tell('done', `Worked out: ${said.join('; ')}`);
  }, [s, sheet.isPlaceholderData, state.sheet_revision, units]);

  // The strip may have become shorter.
  useEffect(() => {
    const c = cursor.get();
    const len = strip.data?.setups[c.setup]?.seconds;
    if (len !== undefined && c.at > len) cursor.set({ setup: c.setup, at: len });
  }, [strip.data, cursor]);

  const stripped = ticket === 'proof' || ticket === 'program' || ticket === 'run';
  const shows = stripped || ticket === 'order' || ticket === 'cutters';
  const [setup, setSetup] = useState(0);
  useEffect(() => cursor.subscribe(() => setSetup(cursor.get().setup)), [cursor]);
  const history = useQuery(historyQuery(id, shows ? state.sheet_revision : null, setup));

  const [by, setBy] = useState<PaintBy>('none');
  const [cut, setCut] = useState<Cut | null>(null);
  const paint = useMemo(() => (part ? painted(part, by) : null), [part, by]);
  const slice = useQuery(sliceQuery(id, reading, useResting(cut, 120)));
  const walls = useMemo<readonly Dim[]>(() => {
    if (!cut || !slice.data || slice.data.cut.axis !== cut.axis || slice.data.cut.at !== cut.at) return [];
    return slice.data.walls.map((w) => ({ from: w.from, to: w.to, words: say(w.thickness, 'mm', units) }));
  }, [cut, slice.data, units]);
  const [over, setOver] = useState(false);
  const before = useQuery(meshBeforeQuery(id, reading, over && state.settled.model !== null));
  const [neighbours, setNeighbours] = useState(false);
  const others = useQuery(meshOthersQuery(id, reading, neighbours));
  const revise = useCallback(
    async (f: File) => {
      try {
        const at = `file=${encodeURIComponent(f.name)}&revision=${state.card.revision}`;
        await api.post(`/api/jobs/${id}/revise?${at}`, f);
      } catch (e) {
        refuse(e);
      }
      await client.invalidateQueries({ queryKey: ['job', id] });
    },
    [client, id, state.card.revision],
  );
  const clearPicked = useCallback(() => setRuler([null, null]), []);

  const bench = useStockBench(id, state, ticket === 'stock');
  const laid = bench.data?.stands;
  const pieceOnStage = useMemo(() => (laid ? onStage(laid) : undefined), [laid]);
  const play = useMemo<Play | null>(() => {
    if (ticket === 'part')
      return {
        kind: 'part',
        blue: [...faces, ...ruler.flatMap((r) => (r ? [r.face] : []))],
        brass: hover === null ? [] : [hover],
        paint: paint?.faces,
      };
    if (ticket === 'stock') return { kind: 'part', block: s?.stock.place, ring: s?.stock.ring, piece: pieceOnStage };
    if (!s) return null;
    if (ticket === 'hold' || (ticket === 'run' && !history.data)) {
      const x = s.sides[side];
      return x ? { kind: 'hold', side: x, block: s.stock.place, ring: s.stock.ring, finished: side > 0 } : null;
    }
    if (ticket === 'log') return { kind: 'part' };
    const x = s.sides[setup];
    const t = strip.data?.setups[setup];
    if (!x || !t || !history.data) return null;
    const lines =
      chosen && chosen.sideIndex === setup && (ticket === 'order' || ticket === 'cutters')
        ? chosen.op.lines
        : undefined;
    return { kind: 'cut', side: x, history: history.data, strip: t, lines };
  }, [s, ticket, faces, hover, paint, ruler, side, setup, strip.data, history.data, chosen, pieceOnStage]);

  // Another ticket or plan has other places, unless one came here to see them.
  const keepPlaces = useRef(false);
  const show = useCallback(
    (f: Finding) => {
      setChecks(false);
      setPlaces(f.places);
      const k = s?.sides.findIndex((x) => x.name === f.setup) ?? -1;
      const t = strip.data?.setups[k];
      if (f.line && t) cursor.set({ setup: k, at: atLine(t, f.line) });
      else if (k >= 0 && t) cursor.set({ setup: k, at: t.seconds });
      else {
        const last = (strip.data?.setups.length ?? 1) - 1;
        cursor.set({ setup: last, at: strip.data?.setups[last]?.seconds ?? 0 });
      }
      if (ticket === 'proof' || ticket === 'program' || ticket === 'part') return;
      keepPlaces.current = true;
      go('proof');
    },
    [s, strip.data, cursor, go, ticket],
  );

  useEffect(() => {
    if (!keepPlaces.current) setPlaces([]);
    keepPlaces.current = false;
  }, [ticket, state.sheet_revision]);
  useEffect(() => setRuler([null, null]), [ticket]);

  const keyed = useMemo(() => {
    const move = (by: 1 | -1, what: 'line' | 'step') => () =>
      strip.data && cursor.set(beside(strip.data, cursor.get(), by, what));
    const tickets = Object.fromEntries(TICKETS.map((t, k) => [String(k + 1), () => go(t)]));
    return {
      ...tickets,
      b: () => void navigate('/'),
      c: () => setChecks(true),
      d: () => setDecisions(true),
      z: undo,
      y: redo,
      ',': move(-1, 'line'),
      '.': move(1, 'line'),
      '[': move(-1, 'step'),
      ']': move(1, 'step'),
      u: () => decide({ about: 'units', units: units === 'mm' ? 'inch' : 'mm' }),
      l: () => themeName.set(themeName.get() === 'desk' ? 'machine' : 'desk'),
      '?': () => setKeys(true),
    };
  }, [cursor, strip.data, navigate, undo, redo, decide, units, go]);
  useShortcuts(keyed);

  const pick = useCallback((p: Picked) => setRuler(([a, b]) => (a && !b ? [a, p] : [p, null])), []);
  const Card = ticket === 'part' || ticket === 'stock' ? null : cards[ticket];
  const job: Job | null =
    s && shop.data
      ? {
          id,
          me,
          state,
          sheet: s,
          shop: shop.data,
          strip: strip.data,
          cursor,
          chosen,
          choose,
          side,
          setSide,
          places,
          setPlaces,
          show,
          faces,
          setFaces,
          decide,
          go,
        }
      : null;
  const desk: PartDesk | null = part
    ? {
        id,
        part: part,
        cutFrom: s?.hold.cut_from ?? null,
        faces,
        setFaces,
        places,
        setPlaces,
        decide,
        picked: ruler,
        clearPicked,
        over,
        setOver,
        beside: neighbours,
        setBeside: setNeighbours,
        revise: (f) => void revise(f),
        revision: state.card.revision,
      }
    : null;
  // The rack is looked through as soon as the file is read; the plan's block follows.
  const stock: StockDesk | null =
    shop.data && (s || part) ? { id, state, shop: shop.data, sheet: s ?? null, decide } : null;
  const w = state.card.work;
  const left = (
    <Left>
      <Stage
        play={play}
        mesh={mesh.data}
        places={places}
        cursor={cursor}
        onHover={ticket === 'part' ? setHover : undefined}
        onPick={ticket === 'part' ? pick : undefined}
        ruler={ruler}
        section={ticket === 'part' ? cut : null}
        dims={ticket === 'part' ? walls : none}
        over={ticket !== 'part' ? null : over ? (before.data ?? null) : neighbours ? (others.data ?? null) : null}
        beside={neighbours && !over}
        label={`${ticket}: picture of ${state.card.title}`}
      >
        {ticket === 'part' && part ? (
          <OverPart hover={hover}>
            <Look
              place={part.place}
              by={by}
              setBy={setBy}
              painted={paint}
              cut={cut}
              setCut={setCut}
              slice={slice.data ?? null}
            />
          </OverPart>
        ) : ticket === 'stock' ? (
          <OverStock />
        ) : ticket === 'log' ? null : (
          <Over ticket={ticket} setup={setup} />
        )}
      </Stage>
      {ticket === 'cutters' ? <WindowPane /> : null}
    </Left>
  );
  return (
    <UnitsContext value={units}>
      <Page data-revision={state.card.revision} data-fresh={state.fresh}>
        <Top
          me={me}
          title={state.card.title}
          words={s ? `${s.stock.material_name} · ${shop.data?.machine.name ?? ''}` : state.card.file}
        >
          <Button $small onPress={undo} isDisabled={!state.undo}>
            Undo <Sr>{state.undo}</Sr> <Kbd>Z</Kbd>
          </Button>
          <Button $small onPress={redo} isDisabled={!state.redo}>
            Redo <Sr>{state.redo}</Sr> <Kbd>Y</Kbd>
          </Button>
          <Button $small onPress={() => decide({ about: 'units', units: units === 'mm' ? 'inch' : 'mm' })}>
            <Either of="Lengths in" words={['mm', 'inch']} second={units === 'inch'} />
          </Button>
        </Top>
        <NewerBook state={state} decide={decide} />
        <RouteStrip state={state} sheet={s} part={part} id={id} />
        {ticket === 'part' && desk ? (
          <PartContext value={desk}>
            <Body>
              {left}
              <section className="card" aria-label={ticket} tabIndex={0}>
                <PartTicket />
              </section>
            </Body>
          </PartContext>
        ) : ticket === 'stock' && stock ? (
          <StockContext value={stock}>
            <Body>
              {left}
              <section className="card" aria-label={ticket} tabIndex={0}>
                <StockTicket />
              </section>
            </Body>
          </StockContext>
        ) : job && Card ? (
          <JobContext value={job}>
            <Body>
              {left}
              <section className="card" aria-label={ticket} tabIndex={0}>
                <Card />
              </section>
            </Body>
            {stripped && strip.data ? (
              <section aria-label="Proof strip">
                {' '}
                <ProofStrip strip={strip.data} cursor={cursor} findings={job.sheet.proof.findings} />
              </section>
            ) : null}
          </JobContext>
        ) : (
          <Body>
            <div className="empty">
              {w.kind === 'failed' ? (
                <>
                  <h1>This part could not be planned</h1>
                  <p>{w.why}</p>
                </>
              ) : (
                <>
                  <h1>Working out a whole proposal</h1>
                  <p>
                    Stock, sides, order, cutters, programs and their proof. It takes some ten seconds; you may leave and
                    come back.
                  </p>
                  <img src={`/api/jobs/${id}/picture`} width={320} height={240} alt={`The part ${state.card.title}`} />
                </>
              )}
            </div>
          </Body>
        )}
        <Checks
          state={state}
          findings={s?.proof.findings ?? []}
          open={checks}
          setOpen={setChecks}
          onShow={show}
          onMend={(r) => decide(r.decision)}
          onKeys={() => setKeys(true)}
          onDecisions={() => setDecisions(true)}
          onStop={() => void act('stop', undefined, null)}
          onAgain={() => void act('again', undefined, null)}
        />
        <Decisions state={state} open={decisions} onClose={() => setDecisions(false)} />
        <Keys open={keys} onClose={() => setKeys(false)} />
      </Page>
    </UnitsContext>
  );
}
