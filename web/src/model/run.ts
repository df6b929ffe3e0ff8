/**
 * A run card counted with where it is held, away from the house too. The rules are the core's (`crates/run/src/answer.rs`) and stand in the card as data: limits, and
 * sums of what was typed. Here they are only worked out; a file that the core writes holds both to one another (`run.cases.json`).
 */
import type {
  MachineCard,
  RunAnswer,
  RunAsk,
  RunCheck,
  RunEntry,
  RunJudged,
  RunStanding,
  RunStep,
  RunStepState,
  RunSum,
  RunVerdict,
  RunWay,
  StepStanding,
} from '../api/types';

type Numbers = Readonly<Record<string, number | undefined>>;

const SLACK = 1e-9;
const grave: Record<RunVerdict, number> = { good: 0, doubt: 1, stop: 2 };

/** How a number lies to limits, and what to do. */
export function judge(value: number, check: RunCheck): { verdict: RunVerdict; says: string } {
  const below = (limit: number | null) => limit !== null && value < limit - SLACK;
  const above = (limit: number | null) => limit !== null && value > limit + SLACK;
  const [least, most] = check.must;
  const [low, high] = check.should;
  const verdict: RunVerdict =
    !Number.isFinite(value) || below(least) || above(most) ? 'stop' : below(low) || above(high) ? 'doubt' : 'good';
  if (verdict === 'good') return { verdict, says: '' };
  return { verdict, says: below(least) || below(low) ? check.below : check.above };
}

/** What a sum comes to, if all its numbers are there. */
export function sumOf(sum: RunSum, of: (key: string) => number | undefined): number | undefined {
  let value = sum.constant;
  for (const [key, weight] of sum.terms) {
    const v = of(key);
    if (v === undefined) return undefined;
    value += weight * v;
  }
  return sum.over === null ? value : (Math.atan(value / sum.over) * 180) / Math.PI;
}

/** What counts where an ask is not typed. */
export const unsaid = (ask: RunAsk, known: Numbers): number | undefined =>
  (ask.from === null ? undefined : known[ask.from]) ?? ask.unsaid ?? undefined;

/** What an answer comes to; the label of an ask that nothing is known for where it comes to nothing. */
export function workOut(way: RunWay, typed: Numbers, known: Numbers): { judged: RunJudged[]; missing: string | null } {
  const own: Record<string, number> = {};
  const judged: RunJudged[] = [];
  let missing: string | null = null;
  for (const a of way.asks) {
    const value = typed[a.id] ?? unsaid(a, known);
    if (value === undefined) {
      missing ??= a.label;
      continue;
    }
    own[a.id] = value;
    judged.push({ id: a.id, value, ...judge(value, a.check) });
  }
  for (const o of way.outcomes) {
    const value = sumOf(o.sum, (k) => (k.includes('/') ? known[k] : own[k]));
    if (value === undefined) continue;
    own[o.id] = value;
    judged.push({ id: o.id, value, ...judge(value, o.check) });
  }
  return { judged, missing };
}

const standing = (judged: readonly RunJudged[], sure: boolean): StepStanding => {
  const worst = Math.max(0, ...judged.map((j) => grave[j.verdict]));
  return worst === 2 ? 'stopped' : worst === 1 && !sure ? 'doubt' : 'done';
};

interface Held {
  answer: RunAnswer;
  standing: StepStanding;
  took: number;
}

const same = (a: readonly RunJudged[], b: readonly RunJudged[]) =>
  a.length === b.length && a.every((x, k) => x.id === b[k]?.id && x.value === b[k].value);

/** The length of a cutter stands under this key. */
export const lengthKey = (tool: number) => `t${tool}/length`;

/** The run as it stands after these acts. */
export function stateOf(card: MachineCard, beganMs: number, entries: readonly RunEntry[]): RunStanding {
  const answers: (Held | null)[] = card.steps.map(() => null);
  const lengths = new Map<number, number>();
  let ended: RunStanding['ended'] = null;
  let last = beganMs;
  const known = (): Record<string, number> => {
    const out: Record<string, number> = {};
    card.steps.forEach((s, k) => {
      const a = answers[k];
      if (a?.standing === 'done') for (const j of a.answer.judged) out[`${s.id}/${j.id}`] = j.value;
    });
    for (const [t, l] of lengths) out[lengthKey(t)] = l;
    return out;
  };
  for (const e of entries) {
    const act = e.act;
    if (act.kind === 'done') {
      const k = card.steps.findIndex((s) => s.id === act.step);
      const step = card.steps[k];
      const way = step?.ways.find((w) => w.id === act.way);
      if (!step || !way) continue;
      const { judged, missing } = workOut(way, act.values, known());
      if (missing !== null) continue;
      const stands = standing(judged, act.sure);
      const was = answers[k];
      if (was && !same(was.answer.judged, judged))
        card.steps.forEach((s, j) => {
          if (j > k && s.setup === step.setup) answers[j] = null;
        });
      if (stands === 'done' && (step.kind === 'cutters' || step.kind === 'first_cut'))
        for (const j of judged) {
          const t = /^t(\d+)$/.exec(j.id)?.[1];
          if (t) lengths.set(Number(t), j.value);
        }
      const answer: RunAnswer = {
        way: act.way,
        values: act.values,
        judged,
        sure: act.sure,
        note: act.note,
        who: e.who,
        at_ms: e.at_ms,
      };
      answers[k] = { answer, standing: stands, took: Math.max(e.at_ms, last) - last };
      last = Math.max(e.at_ms, last);
    } else if (act.kind === 'again') {
      const k = card.steps.findIndex((s) => s.id === act.step);
      if (k >= 0) {
        answers.fill(null, k);
        last = Math.max(e.at_ms, last);
      }
    } else if (act.kind === 'cutter') lengths.set(act.tool, act.length_mm);
    else if (act.kind === 'ended') ended = { good: act.good, cause: act.cause, who: e.who, at_ms: e.at_ms };
  }
  const steps: RunStepState[] = card.steps.map((s, k) => {
    const a = answers[k] ?? null;
    return {
      id: s.id,
      standing: a?.standing ?? 'open',
      answer: a?.answer ?? null,
      took_min: a ? a.took / 60_000 : null,
    };
  });
  const next = ended ? null : (steps.find((s) => s.standing !== 'done')?.id ?? null);
  return { steps, next, values: known(), ended };
}

/** Where a step stands in its card: its setup, and which step of that it is. */
export function placeOf(card: MachineCard, step: RunStep): { setup: string; at: number; of: number } {
  const mine = card.steps.filter((s) => s.setup === step.setup);
  return { setup: step.setup, at: mine.indexOf(step) + 1, of: mine.length };
}
