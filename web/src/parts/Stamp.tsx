import styled, { css } from 'styled-components';

export type StampKind = 'open' | 'proposed' | 'decided' | 'answer' | 'proved' | 'stop' | 'stale' | 'posted';

const Mark = styled.span<{ $kind: StampKind; $big?: boolean }>`
  display: inline-block;
  flex: none;
  font-size: ${(p) => (p.$big ? '15px' : '12.5px')};
  line-height: 1.25;
  font-weight: ${(p) => (p.$kind === 'proved' || p.$big ? 600 : 500)};
  padding: ${(p) => (p.$big ? '4px 12px' : '0 5px')};
  border: 1.5px solid currentColor;
  border-radius: 2px;
  color: ${(p) => p.theme.blue};
  transform: rotate(-2.5deg);
  white-space: nowrap;
  ${(p) =>
    (p.$kind === 'open' || p.$kind === 'stale') &&
    css`
      border-style: dashed;
      color: ${p.theme.quiet};
    `}
  ${(p) =>
    p.$kind === 'proved' &&
    css`
      border-width: 2.5px;
    `}
  ${(p) =>
    p.$kind === 'proposed' &&
    css`
      border-style: dotted;
    `}
  ${(p) =>
    p.$kind === 'answer' &&
    css`
      color: ${p.theme.amber};
      background: ${p.theme.amberWash};
    `}
  ${(p) =>
    p.$kind === 'stop' &&
    css`
      color: ${p.theme.red};
      border-style: double;
      border-width: 4px;
      background: ${p.theme.redWash};
    `}
`;

/** A stamp on a ticket: kind by line and colour, and always in words. */
export function Stamp({ kind, words, big }: { kind: StampKind; words: string; big?: boolean }) {
  return (
    <Mark $kind={kind} $big={big} data-stamp={kind}>
      {words}
    </Mark>
  );
}
