import { NavLink } from 'react-router';
import styled from 'styled-components';
import type { BookSheet } from '../api/types';

const Nav = styled.nav`
  overflow: auto;
  padding: 16px 8px 24px 20px;
  border-right: 1px solid ${(p) => p.theme.edge};
  h2 {
    font-size: 13.5px;
    font-weight: 400;
    color: ${(p) => p.theme.quiet};
    margin: 14px 0 2px;
  }
  a {
    display: flex;
    justify-content: space-between;
    padding: 2px 8px;
    margin-left: -8px;
    border-radius: 3px;
    color: inherit;
    text-decoration: none;
  }
  a:hover {
    background: ${(p) => p.theme.blueWash};
  }
  a[aria-current] {
    font-weight: 600;
    background: ${(p) => p.theme.blueWash};
  }
  .n {
    font-weight: 400;
    color: ${(p) => p.theme.quiet};
  }
`;

/** The shop's chapters, those that belong together under one heading; a chapter without an entry says so. */
export function Chapters({ book, pieces }: { book: BookSheet | undefined; pieces: number | undefined }) {
  const all = book?.chapters ?? [];
  const groups = [...new Set(all.map((c) => c.layout.group))];
  return (
    <Nav aria-label="Chapters of the shop">
      <h2 style={{ marginTop: 0 }}>Stock</h2>
      <NavLink to="/shop" end>
        The rack <span className="n">{pieces ?? ''}</span>
      </NavLink>
      {groups.map((g) => (
        <div key={g}>
          <h2>{g}</h2>
          {all
            .filter((c) => c.layout.group === g)
            .map((c) => (
              <NavLink key={c.layout.key} to={`/shop/${c.layout.key}`}>
                {c.layout.title}{' '}
                <span className="n">{c.layout.many || c.entries.length === 0 ? c.entries.length || 'none' : ''}</span>
              </NavLink>
            ))}
        </div>
      ))}
    </Nav>
  );
}
