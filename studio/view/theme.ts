/** Colours of the view, one set a scheme; the page's own tokens stand in globals.css. */
export interface ViewTheme {
  readonly page: string;
  readonly ink: string;
  readonly grid: string;
  readonly gridMiddle: string;
  readonly gridStrong: string;
  readonly slate: string;
  readonly outside: string;
  readonly inside: string;
  readonly clay: string;
  readonly plum: string;
  readonly rust: string;
  readonly brass: string;
  readonly loden: string;
}
export const LIGHT: ViewTheme = {
  page: '#F5F2EC',
  ink: '#1E2A2E',
  grid: '#E6E1D8',
  gridMiddle: '#D3CDC2',
  slate: '#5C6B73',
  gridStrong: '#B9B4AA',
  outside: '#B5CDBD',
  inside: '#D7A58C',
  clay: '#D9D3C7',
  plum: '#6A3D7C',
  rust: '#B5432A',
  brass: '#B98A1B',
  loden: '#2F6B4F',
};
export const DARK: ViewTheme = {
  page: '#1B2124',
  ink: '#E8E4DB',
  grid: '#272F33',
  gridMiddle: '#353F44',
  slate: '#A3B0B6',
  gridStrong: '#46525A',
  outside: '#8FB09C',
  inside: '#B98468',
  clay: '#A49E93',
  plum: '#C9A1DC',
  rust: '#E2775E',
  brass: '#D9B04A',
  loden: '#7DBF9C',
};
