import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { api } from '../../api';
import type { Consequence, SideSheet } from '../../api/types';
import { useJob } from '../../frame/job';
import { refuse } from '../../frame/settings';
import { overruled } from '../cutters/overruled';
import { atLine } from '../../model/strip';
import { Button, Line, Link, Quiet, Rows, Section } from '../../parts/basics';

/** What an edit comes to, and what of it the plan can keep. */
function Consequences({ side, of }: { side: SideSheet; of: readonly Consequence[] }) {
  const { sheet, strip, cursor, decide } = useJob();
  const setup = sheet.sides.findIndex((s) => s.name === side.name);
  const steps = strip?.setups[setup];
  if (of.length === 0) return null;
  return (
    <Rows style={{ margin: '6px 0' }} aria-label="What comes of it">
      {of.map((c) => {
        const op = side.operations.find((o) => o.op.id === c.operation);
        const feed = op?.op.mill?.feed.value ?? op?.op.drill?.feed;
        const keep =
          op && (c.rpm !== null || c.tool !== null || (c.feed_share !== null && feed))
            ? overruled(op, {
                ...(c.rpm === null ? {} : { rpm: Math.round(c.rpm) }),
                ...(c.tool === null ? {} : { tool: c.tool }),
                ...(c.feed_share === null || !feed ? {} : { feed: Math.round(feed * c.feed_share) }),
              })
            : null;
        return (
          <li key={`${c.other}${c.operation}${c.line}`} data-other={c.other}>
            {op ? <b>{op.op.title}: </b> : null}
            {c.words}
            {c.line > 0 && steps ? (
              <>
                {', '}
                <Link onPress={() => cursor.set({ setup, at: atLine(steps, c.line) })}>line {c.line}</Link>
              </>
            ) : null}
            {keep ? (
              <>
                {'. '}
                <Link onPress={() => decide(keep)}>Keep it in the plan</Link>
              </>
            ) : null}
          </li>
        );
      })}
    </Rows>
  );
}

/** A program that comes back from the control, held to what the plan promises; what the proof says of it stands here line by line. */
export function Edited({ side }: { side: SideSheet }) {
  const { id, sheet, state, strip, cursor, decide } = useJob();
  const client = useQueryClient();
  const [busy, setBusy] = useState(false);
  const edit = side.edited;
  const setup = sheet.sides.findIndex((s) => s.name === side.name);
  const steps = strip?.setups[setup];
  const found = sheet.proof.findings.filter((f) => f.setup === side.name && f.severity === 'stop');
  const upload = async (f: File) => {
    setBusy(true);
    try {
      const at = `setup=${encodeURIComponent(side.name)}&file=${encodeURIComponent(f.name)}&revision=${state.card.revision}`;
      await api.post(`/api/jobs/${id}/edited?${at}`, f);
    } catch (e) {
      refuse(e);
    }
    await client.invalidateQueries({ queryKey: ['job', id] });
    setBusy(false);
  };
  const lines = edit?.changes.lines ?? [];
  return (
    <Section aria-label="Edited program">
      {edit ? (
        <>
          <p>
            <b>{edit.file}</b> stands in the place of the posted program:{' '}
            {lines.length === 0 && edit.changes.gone === 0
              ? 'it says the same, line by line.'
              : `${lines.length} ${lines.length === 1 ? 'line is' : 'lines are'} new or changed (✎), ${edit.changes.gone} of before gone.`}
          </p>
          <Consequences side={side} of={edit.consequences} />
          {state.fresh && found.length > 0 ? (
            <Rows style={{ margin: '6px 0' }}>
              {found.slice(0, 8).map((f) => (
                <li key={f.id} data-finding={f.kind}>
                  {f.line && steps ? (
                    <Link onPress={() => cursor.set({ setup, at: atLine(steps, f.line ?? 1) })}>Line {f.line}</Link>
                  ) : null}{' '}
                  {f.what}
                </li>
              ))}
            </Rows>
          ) : null}
        </>
      ) : null}
      <Line>
        <FileTrigger
          acceptedFileTypes={['.ngc', '.nc', '.tap', '.cnc', '.txt', `.${sheet.control.extension}`]}
          onSelect={(l) => {
            const f = l?.[0];
            if (f) void upload(f);
          }}
        >
          <Button $small isDisabled={busy}>
            {busy ? 'Uploading…' : `Upload an edited program of ${side.name}`}
          </Button>
        </FileTrigger>
        {edit ? (
          <Button $small onPress={() => decide({ about: 'edited', setup: side.name, sha: null, file: '' })}>
            Back to the posted program
          </Button>
        ) : (
          <Quiet>It is cut and proved as it stands, and held to what the plan promises.</Quiet>
        )}
      </Line>
    </Section>
  );
}
