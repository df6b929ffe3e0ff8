import { Button, Dialog, DialogTrigger, Popover } from 'react-aria-components';
import styled from 'styled-components';
import type { Bound, Grounds, Source, Term } from '../api/types';
import { useUnits } from '../frame/settings';
import { say, show } from '../model/units';
import { Sources } from './Sources';

const Press = styled(Button)`
  border: 0;
  padding: 0 1px;
  background: none;
  font-weight: 500;
  cursor: pointer;
  border-bottom: 1.5px dotted ${(p) => p.theme.blue};
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
`;

const Sheet = styled(Popover)`
  background: ${(p) => p.theme.card};
  color: ${(p) => p.theme.ink};
  border: 1px solid ${(p) => p.theme.ink};
  border-left: 5px solid ${(p) => p.theme.blue};
  width: 400px;
  max-width: 90vw;
  max-height: 70vh;
  overflow: auto;
  padding: 12px 16px;
  h3 {
    margin-bottom: 4px;
  }
  dl {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 2px 12px;
    margin: 6px 0;
  }
  dd {
    text-align: right;
    white-space: nowrap;
  }
  dt i {
    font-style: normal;
    color: ${(p) => p.theme.quiet};
  }
  .bound {
    font-weight: 600;
  }
  .source {
    color: ${(p) => p.theme.quiet};
    margin-top: 6px;
    font-size: 14px;
  }
`;

const Unit = styled.span`
  color: ${(p) => p.theme.quiet};
  margin-left: 4px;
`;

/** Reasons of a number that no limit bound. */
export const grounds = (title: string, g: Grounds): Reasons => ({ title, terms: g.terms, source: g.source });

export interface Reasons {
  /** What it is: "Feed". */
  title: string;
  /** What stopped it from being higher or lower. */
  boundBy?: string;
  bounds?: readonly Bound[];
  /** Unit of the bounds. */
  boundUnit?: string;
  terms?: readonly Term[];
  source?: readonly Source[] | string;
}

/** Why a number is what it is: opened from the number itself. */
export function Why({ title, boundBy, bounds = [], boundUnit = '', terms = [], source }: Reasons) {
  const { units } = useUnits();
  return (
    <>
      <h3>Why? {title}</h3>
      {boundBy ? <p>Bound by: {boundBy}.</p> : null}
      {bounds.length > 0 ? (
        <dl>
          {bounds.map((b) => (
            <div key={b.name} style={{ display: 'contents' }} className={b.name === boundBy ? 'bound' : ''}>
              <dt className={b.name === boundBy ? 'bound' : ''}>{b.name} allows</dt>
              <dd className={b.name === boundBy ? 'bound' : ''}>{say(b.allows, boundUnit, units, 3)}</dd>
            </div>
          ))}
        </dl>
      ) : null}
      {terms.length > 0 ? (
        <dl>
          {terms.map((t) => (
            <div key={t.symbol + t.meaning} style={{ display: 'contents' }}>
              <dt>
                {t.symbol} <i>{t.meaning}</i>
              </dt>
              <dd>{say(t.value, t.unit, units, t.unit === 'mm' ? 3 : undefined)}</dd>
            </div>
          ))}
        </dl>
      ) : null}
      {source === undefined ? null : <Sources of={source} />}
    </>
  );
}

interface Props {
  value: number;
  unit: string;
  digits?: number;
  /** Reasons that the number opens to. */
  why?: Reasons;
  /** Words for a reader that does not see the column. */
  label?: string;
  /** The unit stands in a column of its own. */
  bare?: boolean;
  /** Pressed instead of the number, where that stands elsewhere. */
  words?: string;
}

/** A number with its unit, in the person's unit system; with reasons it opens to them. */
export function Num({ value, unit, digits, why, label, bare, words }: Props) {
  const { units } = useUnits();
  const s = show(value, unit, units, digits);
  const tail = s.unit && !bare ? <Unit>{s.unit}</Unit> : null;
  if (!why)
    return (
      <span>
        {s.text}
        {tail}
      </span>
    );
  return (
    <span>
      <DialogTrigger>
        <Press
          aria-label={words ? `${words}: ${label ?? why.title}` : `${label ?? why.title}: ${s.text} ${s.unit}. Why?`}
        >
          {words ?? s.text}
        </Press>
        <Sheet placement="bottom end">
          <Dialog aria-label={`Why ${why.title}`}>
            <Why {...why} />
          </Dialog>
        </Sheet>
      </DialogTrigger>
      {tail}
    </span>
  );
}
