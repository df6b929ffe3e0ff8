import { describe, expect, it } from 'vitest';
import type { BenchPage, JobCard } from '../api/types';
import { withCard, without } from './bench';

const card = (id: number, title = `Job ${id}`, archived = false): JobCard => ({
  id,
  title,
  file: 'x.step',
  archived,
  made_at: '',
  revision: 0,
  work: { kind: 'waiting' },
  summary: null,
});
const page = (...ids: number[]): BenchPage => ({ jobs: ids.map((i) => card(i)), more: true, archived: 0 });
const ids = (pages: BenchPage[]) => pages.map((p) => p.jobs.map((j) => j.id));
const bench = { archived: false, find: '' };

describe('pages of the bench', () => {
  const pages = [page(9, 7), page(4, 3)];
  it('keep a changed card in its place, on whatever page it is', () => {
    const next = withCard(pages, card(4, 'Other'), bench);
    expect(ids(next)).toEqual(ids(pages));
    expect(next[1]?.jobs[0]?.title).toBe('Other');
  });
  it('begin with what is new', () => {
    expect(ids(withCard(pages, card(12), bench))).toEqual([
      [12, 9, 7],
      [4, 3],
    ]);
    expect(ids(withCard([{ jobs: [], more: false, archived: 0 }], card(1), bench))).toEqual([[1]]);
  });
  it('lose what was archived or thrown away, and take no stranger', () => {
    expect(ids(withCard(pages, card(7, 'x', true), bench))).toEqual([[9], [4, 3]]);
    expect(ids(without(pages, 3))).toEqual([[9, 7], [4]]);
    // It is on a page that was not asked for yet, in the archive, or not what is looked for.
    expect(ids(withCard(pages, card(2), bench))).toEqual(ids(pages));
    expect(ids(withCard(pages, card(12, 'x', true), bench))).toEqual(ids(pages));
    expect(ids(withCard(pages, card(12), { archived: false, find: 'y' }))).toEqual(ids(pages));
    expect(ids(withCard([], card(12), bench))).toEqual([]);
  });
});
