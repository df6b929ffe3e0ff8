import { useTheme } from 'styled-components';
import type { FormCutter, OtherWay } from '../../api/types';
import { usePart } from '../../frame/part';
import { useUnits } from '../../frame/settings';
import { keyOf } from '../../model/key';
import { say } from '../../model/units';
import { Link, Quiet } from '../../parts/basics';
import { Num } from '../../parts/Number';

/** A cutter to be ground or bought, to scale, with how long it takes. */
function Form({ cutter: c }: { cutter: FormCutter }) {
  const t = useTheme();
  const { units } = useUnits();
  const wide = Math.max(...c.profile.map((p) => p[0]));
  const high = Math.max(...c.profile.map((p) => p[1]));
  const k = Math.min(70 / wide, 90 / high);
  const at = (r: number, z: number) => `${(75 + r * k).toFixed(1)} ${(8 + (high - z) * k).toFixed(1)}`;
  const outline = [...c.profile.map((p) => at(p[0], p[1])), ...c.profile.toReversed().map((p) => at(-p[0], p[1]))];
  return (
    <div style={{ display: 'flex', gap: 16, alignItems: 'center', margin: '4px 0' }}>
      <svg
        style={{ flex: 'none' }}
        width="150"
        height={Math.ceil(high * k) + 16}
        role="img"
        aria-label={`${c.what}, to scale`}
      >
        <path d={`M${outline.join('L')}Z`} fill={t.sunk} stroke={t.ink} strokeWidth="1.4" />
        <line x1="75" x2="75" y1="0" y2={high * k + 16} stroke={t.quiet} strokeDasharray="8 3 2 3" />
      </svg>
      <div>
        <b>{c.what}</b>
        <p>
          To be ground or bought: reaches {say(c.reach, 'mm', units)}, there in {c.days[0]} to {c.days[1]} working days{' '}
          <Num value={0} unit="" words="why" why={{ title: c.what, source: c.source }} />
        </p>
      </div>
    </div>
  );
}

/** What can be done about what is hard. */
export function Ways({ ways, form }: { ways: readonly OtherWay[]; form: FormCutter | null }) {
  const { part, decide } = usePart();
  const ask = (w: OtherWay) => {
    const id = `q${keyOf(part.asks.length, w.ask)}`;
    decide({
      about: 'ask',
      id,
      ask: {
        text: w.ask,
        proposal: 'as drawn',
        whom: '',
        when: new Date().toISOString().slice(0, 10),
        blocks: w.blocks,
        answer: '',
      },
    });
  };
  return (
    <>
      {form ? <Form cutter={form} /> : null}
      {ways.length > 0 ? (
        <>
          <Quiet>What can be done:</Quiet>
          <ul style={{ listStyle: 'disc', paddingLeft: 18 }}>
            {ways.map((w) => (
              <li key={w.what} data-way>
                {w.what} <Num value={0} unit="" words="why" why={{ title: w.what, terms: w.terms, source: w.source }} />{' '}
                {w.ask && !part.asks.some((a) => a.ask.text === w.ask) ? (
                  <Link onPress={() => ask(w)}>Ask the drawing’s owner</Link>
                ) : null}
              </li>
            ))}
          </ul>
        </>
      ) : null}
    </>
  );
}
