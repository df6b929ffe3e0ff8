import styled from 'styled-components';

const Box = styled.input`
  width: 180px;
  padding: 4px 8px;
  border: 1px solid ${(p) => p.theme.edge};
  border-radius: 3px;
  background: ${(p) => p.theme.card};
  color: ${(p) => p.theme.ink};
`;

/** Letters that are looked for in a list. */
export function Find(p: { label: string; hint: string; value: string; onChange: (letters: string) => void }) {
  return (
    <Box
      type="search"
      aria-label={p.label}
      placeholder={p.hint}
      value={p.value}
      onChange={(e) => p.onChange(e.target.value)}
    />
  );
}
