import { FileTrigger } from 'react-aria-components';
import { api } from '../api';
import type { RackPreview } from '../api/types';
import { refuse } from '../frame/settings';
import { Button, Line, Quiet, Rows } from '../parts/basics';

/** A table with what was found in it. */
export type LookedThrough = RackPreview & { table: Blob };

interface Props {
  preview: LookedThrough | null;
  setPreview: (p: LookedThrough | null) => void;
  /** Look a file through. */
  look: (f: File) => void;
  onTake: (p: LookedThrough) => void;
}

const lines = (n: number) => `${n} good line${n === 1 ? '' : 's'}`;

/** A table is looked through first; its bad lines are told by number, and only then its good ones are taken. */
export function Import({ preview, setPreview, look, onTake }: Props) {
  return (
    <div>
      <Line>
        <FileTrigger
          acceptedFileTypes={['.csv', 'text/csv']}
          onSelect={(l) => {
            const f = l?.item(0);
            if (f) look(f);
          }}
        >
          <Button $small>Read a table (CSV)</Button>
        </FileTrigger>
        <Button $small onPress={() => void api.take('GET', '/api/rack.csv').catch(refuse)}>
          Write the rack as a table
        </Button>
      </Line>
      {preview ? (
        <div role="status" data-preview={preview.errors.length} style={{ marginTop: 8 }}>
          <p>
            <b>
              {lines(preview.pieces.length)}
              {preview.errors.length > 0 ? `, ${preview.errors.length} to mend` : ''}
            </b>
            {preview.known.length > 0 ? (
              <Quiet>
                {' '}
                {preview.known.length} have tags that the rack has already: they take the place of those pieces.
              </Quiet>
            ) : null}
          </p>
          {preview.errors.length > 0 ? (
            <Rows>
              {preview.errors.slice(0, 50).map((e) => (
                <li key={`${e.line}${e.what}`} data-line={e.line}>
                  <b>▲ Line {e.line}</b> {e.what}
                </li>
              ))}
              {preview.errors.length > 50 ? <li>and {preview.errors.length - 50} more</li> : null}
            </Rows>
          ) : null}
          <Line style={{ marginTop: 6 }}>
            <Button
              $small
              $main
              isDisabled={preview.pieces.length === 0}
              onPress={() => {
                onTake(preview);
                setPreview(null);
              }}
            >
              Take the {lines(preview.pieces.length)}
            </Button>
            <Button $small onPress={() => setPreview(null)}>
              Leave it
            </Button>
          </Line>
        </div>
      ) : null}
    </div>
  );
}
