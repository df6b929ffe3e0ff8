import styled from 'styled-components';

export const Page = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
`;

/** Chapters, a list, and beside it what is open. */
export const Body = styled.main`
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr) min(404px, 36vw);
  .list[data-drop-target] {
    outline: 4px dashed ${(p) => p.theme.blue};
    outline-offset: -8px;
  }
  .list {
    overflow: auto;
    padding: 16px 20px 24px;
  }
  .side {
    overflow: auto;
    background: ${(p) => p.theme.card};
    border-left: 1px solid ${(p) => p.theme.edge};
    padding: 16px 20px 24px;
  }
  tr[data-chosen='true'] td {
    background: ${(p) => p.theme.blueWash};
  }
  h2 {
    font-size: 15px;
  }
  .mat td {
    padding-top: 16px;
    border-top: 0;
    font-weight: 600;
  }
`;
