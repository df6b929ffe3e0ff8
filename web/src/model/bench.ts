/** The bench's pages, kept up to date by what the house tells. */
import type { BenchPage, JobCard } from '../api/types';

/** What is looked at: the bench or the archive, and letters that are looked for. */
export interface Look {
  archived: boolean;
  find: string;
}

/** Pages with a card that changed or is new. It stays in its place; a new one stands first, where it belongs to what is looked at. */
export function withCard(pages: readonly BenchPage[], card: JobCard, look: Look): BenchPage[] {
  const there = pages.some((p) => p.jobs.some((j) => j.id === card.id));
  if (there && card.archived !== look.archived) return without(pages, card.id);
  if (there) return pages.map((p) => ({ ...p, jobs: p.jobs.map((j) => (j.id === card.id ? card : j)) }));
  const first = pages[0];
  const newest = first?.jobs[0]?.id ?? 0;
  if (!first || card.archived !== look.archived || look.find || card.id < newest) return [...pages];
  return [{ ...first, jobs: [card, ...first.jobs] }, ...pages.slice(1)];
}

/** Pages without a job. */
export const without = (pages: readonly BenchPage[], id: number): BenchPage[] =>
  pages.map((p) => ({ ...p, jobs: p.jobs.filter((j) => j.id !== id) }));
