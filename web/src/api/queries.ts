import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import type { Look } from '../model/bench';
import { readHistory } from '../model/history';
import { api, away, Refused } from './client';
import type {
  BenchPage,
  BookSheet,
  Comparison,
  WhatIfs,
  Cut,
  Edit,
  FormsSheet,
  JobState,
  Keeping,
  Lay,
  Laying,
  Me,
  Meaning,
  Measured,
  PartSheet,
  PersonCard,
  Price,
  Piece,
  LogPage,
  RackSheet,
  Eye,
  RoundSheet,
  RunCard,
  RunSheet,
  Sheet,
  SideSheet,
  SizeSeries,
  Shop,
  Slice,
  Spot,
  StockBench,
  Strip,
} from './types';

const forever = { staleTime: Infinity };
/** Signed out, or no such thing: asking again does not help. Whoever is away may come back. */
export const retry = (n: number, e: Error) => (away(e) ? n < 8 : n < 2 && !(e instanceof Refused && e.status >= 400));
export const retryDelay = (n: number) => Math.min(300 * 2 ** n, 3000);

export const meQuery = queryOptions({ queryKey: ['me'], queryFn: () => api.get<Me>('/api/me'), retry });
export const shopQuery = queryOptions({ queryKey: ['shop'], queryFn: () => api.get<Shop>('/api/shop'), ...forever });
/** The shop's book as a job keeps it. */
export const jobShopQuery = (id: number, revision: number | null) =>
  queryOptions({
    queryKey: ['job-shop', id, revision],
    queryFn: () => api.get<Shop>(`/api/jobs/${id}/shop`),
    placeholderData: keepPreviousData,
    ...forever,
  });
export const languageQuery = queryOptions({
  queryKey: ['language'],
  queryFn: () => api.get<Meaning[]>('/api/language'),
  ...forever,
});
export const peopleQuery = queryOptions({ queryKey: ['people'], queryFn: () => api.get<PersonCard[]>('/api/people') });
export const keepingQuery = queryOptions({
  queryKey: ['keeping'],
  queryFn: () => api.get<Keeping>('/api/keeping'),
});
/** A shop's jobs in pages, the newest first. */
export const jobsQuery = (look: Look) =>
  infiniteQueryOptions({
    queryKey: ['jobs', look],
    queryFn: ({ pageParam }) => {
      const q = new URLSearchParams({ archived: String(look.archived) });
      if (look.find) q.set('find', look.find);
      if (pageParam) q.set('before', String(pageParam));
      return api.get<BenchPage>(`/api/jobs?${q.toString()}`);
    },
    initialPageParam: 0,
    getNextPageParam: (last) => (last.more ? last.jobs.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
  });
export const jobQuery = (id: number) =>
  queryOptions({ queryKey: ['job', id], queryFn: () => api.get<JobState>(`/api/jobs/${id}`), retry });

/** A sheet that an older build made stands until the plan is made anew: what it does not have yet is filled in. */
const whole = (s: Sheet): Sheet => ({
  ...s,
  control: (s as Partial<Sheet>).control ?? NO_CONTROL,
  sides: s.sides.map((x) => ({
    ...x,
    words: (x as Partial<SideSheet>).words ?? { load: [], at_stops: [], tried: [], by_hand: [] },
    edited: x.edited && { ...x.edited, consequences: (x.edited as Partial<Edit>).consequences ?? [] },
  })),
});

const NO_CONTROL: Sheet['control'] = {
  id: '',
  name: '',
  about: '',
  inch: false,
  increments: null,
  milliseconds: false,
  extension: 'ngc',
  chosen: false,
  all: [],
};

/** Results of a revision: they are asked for again when the sheet's revision moves on; the old ones stay on the screen until then. */
export const sheetQuery = (id: number, revision: number | null) =>
  queryOptions({
    queryKey: ['sheet', id, revision],
    queryFn: async () => whole(await api.get<Sheet>(`/api/jobs/${id}/sheet`)),
    enabled: revision !== null,
    placeholderData: (old: Sheet | undefined) => old,
    ...forever,
  });
/** Whole ways beside the plan; asked for again until those worth planning are planned. */
export const waysQuery = (id: number, revision: number | null) =>
  queryOptions({
    queryKey: ['ways', id, revision],
    queryFn: () => api.get<Comparison | null>(`/api/jobs/${id}/ways`),
    enabled: revision !== null,
    placeholderData: (old: Comparison | null | undefined) => old,
    refetchInterval: (q) => (q.state.data?.done ? false : 1500),
    ...forever,
  });
/** Faults at the machine, tried one after the other when nothing else is to do. */
export const whatIfQuery = (id: number, revision: number | null) =>
  queryOptions({
    queryKey: ['what-if', id, revision],
    queryFn: () => api.get<WhatIfs | null>(`/api/jobs/${id}/what-if`),
    enabled: revision !== null,
    refetchInterval: (q) => (q.state.data?.done ? false : 2500),
    ...forever,
  });
export const stripQuery = (id: number, revision: number | null) =>
  queryOptions({
    queryKey: ['strip', id, revision],
    queryFn: async () => {
      const s = await api.get<Strip>(`/api/jobs/${id}/strip`);
      // One that an older build of the house made.
      return {
        ...s,
        setups: s.setups.map((t) => ({ ...t, no_return: (t.no_return as typeof t.no_return | undefined) ?? [] })),
      };
    },
    enabled: revision !== null,
    ...forever,
  });
export const historyQuery = (id: number, revision: number | null, setup: number) =>
  queryOptions({
    queryKey: ['history', id, revision, setup],
    queryFn: async () => readHistory(await api.bytes(`/api/jobs/${id}/history/${setup}`)),
    enabled: revision !== null,
    ...forever,
  });
/** The part as it stands after a decision: it needs no plan. */
export const partQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ['part', id, revision],
    queryFn: () => api.get<PartSheet>(`/api/jobs/${id}/part`),
    placeholderData: (old: PartSheet | undefined) => old,
    retry,
    ...forever,
  });
/** The rack for a job: it changes with decisions, with a new plan, which may look out another piece, and with the rack. */
export const stockQuery = (id: number, sheet: number | null, revision: number, rack: number) =>
  queryOptions({
    queryKey: ['stock', id, sheet, revision, rack],
    queryFn: () => api.get<StockBench>(`/api/jobs/${id}/stock`),
    placeholderData: (old: StockBench | undefined) => old,
    retry,
  });
/** What else is cut from the job's blank. */
export const formsQuery = (id: number, revision: number, rack: number) =>
  queryOptions({
    queryKey: ['forms', id, revision, rack],
    queryFn: () => api.get<FormsSheet>(`/api/jobs/${id}/forms`),
    retry,
  });
/** What would follow from another lay. */
export const layQuery = (id: number, piece: Piece, lay: Lay | null) =>
  queryOptions({
    queryKey: ['lay', id, piece, lay],
    queryFn: () => api.post<Laying>(`/api/jobs/${id}/lay`, { piece, lay }),
    enabled: lay !== null,
    placeholderData: (old: Laying | undefined) => old,
    retry,
    ...forever,
  });
/** Runs of a job at the machine, the newest first. */
export const runsQuery = (id: number) =>
  queryOptions({ queryKey: ['runs', id], queryFn: () => api.get<RunCard[]>(`/api/jobs/${id}/runs`), retry });
/** Sizes over the pieces of a job: under its runs, so that a new one asks for them anew. */
export const sizesQuery = (id: number) =>
  queryOptions({
    queryKey: ['runs', id, 'sizes'],
    queryFn: () => api.get<SizeSeries[]>(`/api/jobs/${id}/sizes`),
    retry,
  });
/** A run with everything, as far as it has come. */
export const runQuery = (id: number, run: number, done: number, notes: number) =>
  queryOptions({
    queryKey: ['run', id, run, done, notes],
    queryFn: () => api.get<RunSheet>(`/api/jobs/${id}/runs/${run}`),
    placeholderData: keepPreviousData,
    retry,
  });
/** What a piece costs: with the plan, the pieces that are through (under the runs), and the rates. */
export const priceQuery = (id: number, sheet: number | null, revision: number, pieces: number | null) =>
  queryOptions({
    queryKey: ['runs', id, 'price', sheet, revision, pieces],
    queryFn: () => api.get<Price>(`/api/jobs/${id}/price${pieces === null ? '' : `?pieces=${pieces}`}`),
    enabled: sheet !== null,
    placeholderData: keepPreviousData,
    retry,
  });
/** A round of the trainer; asked for again until it is made. */
export const roundQuery = (id: number, round: number) =>
  queryOptions({
    queryKey: ['round', id, round],
    queryFn: () => api.get<RoundSheet>(`/api/jobs/${id}/rounds/${round}`),
    refetchInterval: (q) => (q.state.data?.brief.ready || q.state.data?.brief.why ? false : 1000),
    retry,
  });
export const roundHistoryQuery = (id: number, round: number) =>
  queryOptions({
    queryKey: ['round-history', id, round],
    queryFn: async () => readHistory(await api.bytes(`/api/jobs/${id}/rounds/${round}/history`)),
    ...forever,
  });
/** How one reads: one's own rounds. */
export const eyeQuery = queryOptions({ queryKey: ['eye'], queryFn: () => api.get<Eye>('/api/rounds'), retry });
/** Runs of the shop in pages, the newest first. */
export const logQuery = (find: string) =>
  infiniteQueryOptions({
    queryKey: ['log', find],
    queryFn: ({ pageParam }) => {
      const q = new URLSearchParams();
      if (find) q.set('find', find);
      if (pageParam) q.set('before', String(pageParam));
      return api.get<LogPage>(`/api/log?${q.toString()}`);
    },
    initialPageParam: 0,
    getNextPageParam: (last) => (last.more ? last.runs.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
  });
export const rackQuery = queryOptions({ queryKey: ['rack'], queryFn: () => api.get<RackSheet>('/api/rack') });
export const bookQuery = queryOptions({ queryKey: ['book'], queryFn: () => api.get<BookSheet>('/api/book') });
/** What lies between two places of the part, or at one. */
export const measureQuery = (id: number, revision: number, a: Spot | null, b: Spot | null) =>
  queryOptions({
    queryKey: ['measure', id, revision, a, b],
    queryFn: () => api.post<Measured>(`/api/jobs/${id}/measure`, { a, b }),
    enabled: a !== null,
    retry,
    ...forever,
  });
/** A section of the part with its walls; the last one stands until the next has come. */
export const sliceQuery = (id: number, reading: string, cut: Cut | null) =>
  queryOptions({
    queryKey: ['slice', id, reading, cut],
    queryFn: () => api.post<Slice>(`/api/jobs/${id}/section`, cut),
    enabled: cut !== null,
    placeholderData: (old: Slice | undefined) => old,
    retry,
    ...forever,
  });
/** Triangles of the revision before the newest. */
export const meshBeforeQuery = (id: number, reading: string, wanted: boolean) =>
  queryOptions({
    queryKey: ['mesh-before', id, reading],
    queryFn: () => api.bytes(`/api/jobs/${id}/mesh-before`),
    enabled: wanted,
    ...forever,
  });
/** Triangles of the file's other solids. */
export const meshOthersQuery = (id: number, reading: string, wanted: boolean) =>
  queryOptions({
    queryKey: ['mesh-others', id, reading],
    queryFn: () => api.bytes(`/api/jobs/${id}/mesh-others`),
    enabled: wanted,
    ...forever,
  });
/** Triangles; `reading` names what was answered about the file, on which they depend. */
export const meshQuery = (id: number, reading: string) =>
  queryOptions({ queryKey: ['mesh', id, reading], queryFn: () => api.bytes(`/api/jobs/${id}/mesh`), ...forever });
