import styled from 'styled-components';
import type { Source } from '../api/types';

const List = styled.ul`
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  li {
    margin-top: 3px;
    overflow-wrap: anywhere;
  }
  b {
    font-weight: 500;
    color: ${(p) => p.theme.ink};
  }
`;

/** How sure it is, or who says so; and what. */
function words(s: Source): [string, string] {
  switch (s.kind) {
    case 'cited':
      return ['Looked up', s.work];
    case 'memory':
      return [s.share === null ? 'From memory' : `From memory, ${s.share} % sure`, s.work];
    case 'practice':
      return ['Common practice, no source', s.what];
    case 'person':
      return ['Decided by a person', s.who];
    case 'measured':
      return ['Measured', s.log];
    case 'derived':
      return ['Follows', s.how];
  }
}

/** Where a number comes from, each source with its mark. */
export function Sources({ of }: { of: readonly Source[] | string }) {
  if (typeof of === 'string') return of ? <p className="source">{of}</p> : null;
  return (
    <List className="source">
      {of.map((s) => {
        const [mark, what] = words(s);
        return (
          <li key={mark + what}>
            <b>{mark}</b>
            {what ? `: ${what}` : ''}
          </li>
        );
      })}
    </List>
  );
}

/** In a line. */
export const sourceLine = (of: readonly Source[]): string =>
  of
    .map((s) => {
      const [mark, what] = words(s);
      return what ? `${what} (${mark.toLowerCase()})` : mark.toLowerCase();
    })
    .join('; ');
