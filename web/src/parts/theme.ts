/** Paper, ink, marking-out blue and brass; red for scrap and danger, amber for caution. Never colour alone. */
export interface Theme {
  name: 'desk' | 'machine';
  paper: string;
  card: string;
  sunk: string;
  ink: string;
  quiet: string;
  rule: string;
  edge: string;
  blue: string;
  blueWash: string;
  onBlue: string;
  brass: string;
  brassInk: string;
  brassWash: string;
  red: string;
  redWash: string;
  amber: string;
  amberWash: string;
  grid: string;
  steel: string;
  steelCut: string;
  jaw: string;
}

export const desk: Theme = {
  name: 'desk',
  paper: '#f3f1ea',
  card: '#fdfcf7',
  sunk: '#ebe8de',
  ink: '#1b1f24',
  quiet: '#54585c',
  rule: '#d5d1c3',
  edge: '#8d8a7d',
  blue: '#1d4f91',
  blueWash: '#e1e9f5',
  onBlue: '#ffffff',
  brass: '#b98a25',
  brassInk: '#745509',
  brassWash: '#f5e9c9',
  red: '#a3201a',
  redWash: '#fbe1dd',
  amber: '#7a4d00',
  amberWash: '#fbe8bd',
  grid: '#e6e2d6',
  steel: '#aeb5bf',
  steelCut: '#d9a93f',
  jaw: '#8f8b7d',
};

export const machine: Theme = {
  name: 'machine',
  paper: '#15181c',
  card: '#1d2126',
  sunk: '#101316',
  ink: '#ece9e0',
  quiet: '#b1b3b2',
  rule: '#363b41',
  edge: '#71767b',
  blue: '#8fb8f5',
  blueWash: '#22344d',
  onBlue: '#0c1420',
  brass: '#d9ab4a',
  brassInk: '#e9c473',
  brassWash: '#40341a',
  red: '#ff9a8f',
  redWash: '#4b211e',
  amber: '#f2c66a',
  amberWash: '#46371a',
  grid: '#21262b',
  steel: '#7d8690',
  steelCut: '#d2a344',
  jaw: '#58564e',
};

declare module 'styled-components' {
  // The library wants an interface to extend.
  // eslint-disable-next-line @typescript-eslint/no-empty-object-type
  export interface DefaultTheme extends Theme {}
}
