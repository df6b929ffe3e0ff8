import { Button as AriaButton, type ButtonProps } from 'react-aria-components';
import styled, { css } from 'styled-components';

/** A button for a glove: 56 px high. */
export const Big = styled(AriaButton)<ButtonProps & { $main?: boolean; $stop?: boolean; $chosen?: boolean }>`
  min-height: 56px;
  padding: 6px 18px;
  font-size: 19px;
  font-weight: 500;
  border: 2px solid ${(p) => p.theme.edge};
  border-radius: 6px;
  background: ${(p) => p.theme.card};
  color: ${(p) => p.theme.ink};
  cursor: pointer;
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
  &[data-disabled] {
    color: ${(p) => p.theme.quiet};
    border-color: ${(p) => p.theme.rule};
    cursor: default;
  }
  ${(p) =>
    p.$chosen &&
    css`
      border-color: ${p.theme.blue};
      border-width: 3px;
      font-weight: 600;
    `}
  ${(p) =>
    p.$main &&
    css`
      background: ${p.theme.ink};
      color: ${p.theme.card};
      border-color: ${p.theme.ink};
      &[data-hovered] {
        background: ${p.theme.blue};
        color: ${p.theme.onBlue};
      }
      &[data-disabled] {
        background: ${p.theme.card};
      }
    `}
  ${(p) =>
    p.$stop &&
    css`
      background: ${p.theme.redWash};
      color: ${p.theme.red};
      border-color: ${p.theme.red};
      font-weight: 600;
    `}
`;

/** Hatched at the edge, so that it is not told by its colour alone. */
export const Caution = styled.section`
  border: 2px solid ${(p) => p.theme.amber};
  border-left: 14px solid ${(p) => p.theme.amber};
  border-image: repeating-linear-gradient(135deg, ${(p) => p.theme.amber} 0 8px, ${(p) => p.theme.amberWash} 8px 14px) 2
    2 2 14;
  background: ${(p) => p.theme.amberWash};
  padding: 8px 14px;
  margin: 8px 0 14px;
  p + p {
    margin-top: 6px;
  }
`;

export const Told = styled.p<{ $kind: 'doubt' | 'stop' }>`
  border-left: 6px solid ${(p) => (p.$kind === 'stop' ? p.theme.red : p.theme.amber)};
  background: ${(p) => (p.$kind === 'stop' ? p.theme.redWash : p.theme.amberWash)};
  padding: 6px 12px;
  margin: 6px 0;
`;
