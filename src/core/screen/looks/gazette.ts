import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** A printed sheet: a masthead between rules, a headline, and a line to write on. */
export const gazette: Look = {
  name: 'gazette',
  about: 'A printed sheet with a masthead and a headline. No picture at all',
  layout: 'sheet',
  colors: {
    light: palette({
      page: '#e6dfce',
      card: '#fbf8f0',
      text: '#191713',
      soft: '#4d483e',
      link: '#8c1d18',
      line: '#191713',
      field: '#fbf8f0',
      button: '#191713',
      buttonText: '#fbf8f0',
      focus: '#8c1d18',
      error: '#8c1d18',
      errorGround: '#f8e6e0',
      art: '#e6dfce',
      shade: '#d3cab4',
      shape: '#191713',
      glow: '#8c1d18',
    }),
    dark: palette({
      page: '#0d0c0a',
      card: '#1a1815',
      text: '#f3ede0',
      soft: '#bdb4a3',
      link: '#f3aa9f',
      line: '#cfc6b4',
      field: '#1a1815',
      button: '#f3ede0',
      buttonText: '#191713',
      focus: '#f3aa9f',
      error: '#ffb3a8',
      errorGround: '#3b1713',
      art: '#0d0c0a',
      shade: '#26231e',
      shape: '#f3ede0',
      glow: '#f3aa9f',
    }),
  },
  type: {
    family: families.bookish,
    size: 18,
    heading: { family: families.stately, size: 60, weight: 700 },
  },
  card: {
    width: 800,
    padding: 72,
    radius: 0,
    border: 1,
    shadow: 'none',
    opacity: 1,
    position: 'center',
  },
  field: { radius: 0, border: 2, padding: 9, shadow: 'none', width: 'full' },
  button: { radius: 0, border: 0, padding: 13, shadow: 'none', width: 'auto' },
  gradient: undefined,
  drawingCss: '',
  css: `
.site{text-align:center;font:700 1.375em/1.3 var(--heading-family);color:var(--text);padding-block:.7rem;border-block:6px double var(--line);margin-block-end:clamp(2rem,8vh,4.5rem)}
.site img{margin-inline:auto}
h1{letter-spacing:-.015em;line-height:1.04;margin-block-end:1rem}
.message{font-size:1.1875em;font-style:italic}
:lang(ja) .message,:lang(ar) .message{font-style:normal}
.field{border-width:0 0 var(--field-border)}
.field input{padding-inline:.25rem}
.foot{border-block-start:1px solid var(--line);padding-block-start:1rem;margin-block-start:auto}
main>:nth-last-child(2){margin-block-end:2.5rem}`.trim(),
};
