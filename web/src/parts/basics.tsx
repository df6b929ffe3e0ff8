import { Button as AriaButton, type ButtonProps } from 'react-aria-components';
import styled, { css } from 'styled-components';

const look = css`
  border: 1px solid ${(p) => p.theme.ink};
  border-radius: 4px;
  padding: 4px 12px;
  background: transparent;
  color: ${(p) => p.theme.ink};
  font-weight: 500;
  cursor: pointer;
  white-space: nowrap;
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
  &[data-pressed] {
    background: ${(p) => p.theme.rule};
  }
  &[data-disabled] {
    border-color: ${(p) => p.theme.rule};
    color: ${(p) => p.theme.quiet};
    cursor: default;
  }
`;

export const Button = styled(AriaButton)<ButtonProps & { $main?: boolean; $small?: boolean }>`
  ${look}
  ${(p) =>
    p.$small &&
    css`
      padding: 1px 8px;
    `}
  ${(p) =>
    p.$main &&
    css`
      background: ${p.theme.ink};
      color: ${p.theme.card};
      &[data-hovered] {
        background: ${p.theme.blue};
        border-color: ${p.theme.blue};
        color: ${p.theme.onBlue};
      }
      &[data-disabled] {
        background: transparent;
        color: ${p.theme.quiet};
      }
    `}
`;

/** A word that does something: underlined, no frame. */
export const Link = styled(AriaButton)`
  border: 0;
  background: none;
  padding: 0;
  color: ${(p) => p.theme.blue};
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
  text-align: inherit;
`;

export const Quiet = styled.span`
  color: ${(p) => p.theme.quiet};
`;

export const Kbd = styled.kbd`
  font: inherit;
  font-size: 13px;
  border: 1px solid ${(p) => p.theme.edge};
  border-radius: 3px;
  padding: 0 5px;
  color: ${(p) => p.theme.quiet};
`;

/** Words for a reader that does not see the page. */
export const Sr = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  white-space: nowrap;
`;

/** Two words of which one stands: the button goes over to the other. */
export function Either({ of, words, second }: { of: string; words: readonly [string, string]; second: boolean }) {
  const [a, b] = words;
  const weight = (on: boolean) => ({ fontWeight: on ? 600 : 400, opacity: on ? 1 : 0.8 });
  return (
    <>
      <Sr>
        {of} {words[second ? 1 : 0]}. Switch:{' '}
      </Sr>
      <span style={weight(!second)}>{a}</span> | <span style={weight(second)}>{b}</span>
    </>
  );
}

/** Rows with a hairline between them. */
export const Rows = styled.ul`
  > li {
    border-top: 1px solid ${(p) => p.theme.rule};
    padding: 7px 0;
  }
  > li:last-child {
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
`;

export const Table = styled.table`
  th {
    text-align: left;
    font-weight: 400;
    color: ${(p) => p.theme.quiet};
    padding: 4px 8px 4px 0;
  }
  td {
    padding: 5px 8px 5px 0;
    border-top: 1px solid ${(p) => p.theme.rule};
    vertical-align: top;
  }
  .n {
    text-align: right;
    white-space: nowrap;
  }
  tr:last-child td {
    border-bottom: 1px solid ${(p) => p.theme.rule};
  }
`;

export const Head = styled.header`
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  gap: 16px;
  margin-bottom: 8px;
`;

export const Section = styled.section`
  margin-top: 20px;
  > h2 {
    margin-bottom: 6px;
  }
`;

export const Line = styled.div`
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: wrap;
`;
