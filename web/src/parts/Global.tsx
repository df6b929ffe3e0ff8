import '@fontsource/ibm-plex-mono/latin-400.css';
import '@fontsource/ibm-plex-sans-condensed/latin-400.css';
import '@fontsource/ibm-plex-sans-condensed/latin-500.css';
import '@fontsource/ibm-plex-sans-condensed/latin-600.css';
import { createGlobalStyle } from 'styled-components';

export const sans = "'IBM Plex Sans Condensed', 'Arial Narrow', sans-serif";
export const mono = "'IBM Plex Mono', monospace";

export const Global = createGlobalStyle`
  *, *::before, *::after { box-sizing: border-box; }
  html, body, #root { height: 100%; margin: 0; }
  body {
    background: ${(p) => p.theme.paper};
    color: ${(p) => p.theme.ink};
    font: 400 15px/1.45 ${sans};
    font-variant-numeric: tabular-nums;
    overflow: hidden;
  }
  button, input, select, textarea { font: inherit; color: inherit; }
  h1, h2, h3, p, ul, ol, dl, dd, table { margin: 0; padding: 0; }
  ul, ol { list-style: none; }
  h1 { font-size: 20px; font-weight: 600; }
  h2 { font-size: 18px; font-weight: 600; }
  h3 { font-size: 15px; font-weight: 600; }
  table { border-collapse: collapse; width: 100%; }
  :focus-visible, [data-focus-visible] { outline: 2px solid ${(p) => p.theme.blue}; outline-offset: 2px; }
  a { color: ${(p) => p.theme.blue}; text-underline-offset: 3px; }
  ::selection { background: ${(p) => p.theme.blueWash}; }
  @media (prefers-reduced-motion: no-preference) { .turn { animation: turn 1.2s linear infinite; } }
  @keyframes turn { to { transform: rotate(360deg); } }
`;
