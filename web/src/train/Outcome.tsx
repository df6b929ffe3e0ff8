import type { RoundCard } from '../api/types';
import { truthPlace, verdict, wrongWords } from '../model/round';
import { Button, Line, Link, Quiet } from '../parts/basics';
import { Stamp } from '../parts/Stamp';

interface Props {
  brief: RoundCard;
  onLine: (line: number) => void;
  onAnother: () => void;
  busy: boolean;
}

/** What was hidden, what comes of it, and what the answer was worth. */
export function Outcome({ brief, onLine, onAnother, busy }: Props) {
  const { truth: t, marks: m } = brief;
  if (!t || !m) return null;
  const clean = t.wrong === 'nothing';
  return (
    <Line style={{ alignItems: 'center', gap: 14 }} role="status" data-points={m.points}>
      <Stamp kind={m.points === 100 ? 'proved' : m.points > 0 ? 'open' : 'stop'} words={`${m.points} of 100`} />
      <span style={{ flex: 1 }}>
        <b>{verdict(m, brief.said)}.</b> {wrongWords(t.wrong)}
        {clean ? '.' : `, ${truthPlace(t)}: `}
        {clean ? null : (
          <>
            <code>{t.is === '' ? 'nothing' : t.is}</code> in place of <code>{t.was === '' ? 'nothing' : t.was}</code>{' '}
            {t.lines ? <Link onPress={() => t.lines && onLine(t.lines[0])}>Show it</Link> : null}
            <br />
            <Quiet>
              What comes of it: {t.spoiled}
              {t.shows_at ? (
                <>
                  {' '}
                  (<Link onPress={() => t.shows_at && onLine(t.shows_at)}>line {t.shows_at}</Link>)
                </>
              ) : null}
            </Quiet>
          </>
        )}
      </span>
      <Button $main isDisabled={busy} onPress={onAnother}>
        Another round
      </Button>
    </Line>
  );
}
