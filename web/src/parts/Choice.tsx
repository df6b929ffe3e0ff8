import { Button, ListBox, ListBoxItem, Popover, Select, SelectValue } from 'react-aria-components';
import styled from 'styled-components';

const Press = styled(Button)`
  border: 1px solid ${(p) => p.theme.edge};
  border-radius: 3px;
  background: ${(p) => p.theme.card};
  padding: 2px 8px;
  cursor: pointer;
  text-align: left;
  max-width: 100%;
  &::after {
    content: ' ▾';
    color: ${(p) => p.theme.quiet};
  }
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
`;

const List = styled(Popover)`
  background: ${(p) => p.theme.card};
  color: ${(p) => p.theme.ink};
  border: 1px solid ${(p) => p.theme.ink};
  max-height: 320px;
  overflow: auto;
  min-width: 220px;
`;

const Item = styled(ListBoxItem)`
  padding: 5px 12px;
  cursor: pointer;
  outline-offset: -2px;
  &[data-focused],
  &[data-hovered] {
    background: ${(p) => p.theme.blueWash};
  }
  &[data-selected] {
    font-weight: 600;
  }
  &[data-selected]::before {
    content: '• ';
  }
`;

interface Props {
  label: string;
  value: string;
  options: readonly { id: string; words: string }[];
  onChange: (id: string) => void;
}

/** One of several. */
export function Choice({ label, value, options, onChange }: Props) {
  return (
    <Select
      aria-label={label}
      selectedKey={value}
      onSelectionChange={(k) => k !== null && k !== value && onChange(String(k))}
    >
      <Press>
        <SelectValue />
      </Press>
      <List>
        <ListBox items={options}>{(o) => <Item id={o.id}>{o.words}</Item>}</ListBox>
      </List>
    </Select>
  );
}
