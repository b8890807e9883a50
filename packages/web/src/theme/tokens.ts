/** The colours of the desk: paper, ink, neutral wells, and the four inks that mean something. */
export interface Inks {
  paper: string;
  sheet: string;
  rule: string;
  trough: string;
  ink: string;
  ink2: string;
  well: string;
  teal: string;
  moss: string;
  ochre: string;
  brick: string;
}

/** Wells are the same on both desks, so that a picture is judged alike. */
const well = '#2d2e2f';

export const lightDesk: Inks = {
  paper: '#f5f2ea',
  sheet: '#fbf9f4',
  rule: '#d9d2c2',
  trough: '#e4decf',
  ink: '#22262a',
  ink2: '#565a5d',
  well,
  teal: '#0a6470',
  moss: '#3c6a34',
  ochre: '#8a5800',
  brick: '#a3372a',
};

export const darkDesk: Inks = {
  paper: '#1e1f20',
  sheet: '#262829',
  rule: '#43464a',
  trough: '#37393b',
  ink: '#ecebe6',
  ink2: '#b3b3ad',
  well,
  teal: '#6cc5cf',
  moss: '#96c78b',
  ochre: '#e3b25a',
  brick: '#f09384',
};
