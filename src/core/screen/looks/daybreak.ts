import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** First light over a ridge: for what opens soon, with the words in the middle of the sky. */
export const daybreak: Look = {
  name: 'daybreak',
  about: 'First light over a ridge, for what opens soon or is closed for a while',
  layout: 'cover',
  colors: {
    light: palette({
      page: '#eef2fa',
      pageEnd: '#fbdfc2',
      card: '#eef2fa',
      text: '#1c2242',
      soft: '#414766',
      line: '#6d7290',
      field: '#ffffff',
      button: '#1c2242',
      buttonText: '#fff6ea',
      focus: '#8a3d10',
      error: '#8f1d1d',
      errorGround: '#fde4dd',
      art: '#fbdfc2',
      shade: '#b9a3b4',
      shape: '#39365f',
      glow: '#f08a3c',
    }),
    dark: palette({
      page: '#0b1226',
      pageEnd: '#3b2b45',
      card: '#0b1226',
      text: '#fbf2e6',
      soft: '#d5cfdd',
      line: '#9c96b0',
      field: '#10182f',
      button: '#ffc27a',
      buttonText: '#22150a',
      focus: '#ffc27a',
      error: '#ffbdb2',
      errorGround: '#4b1c22',
      art: '#3b2b45',
      shade: '#2a2440',
      shape: '#0a0c1a',
      glow: '#ffa14d',
    }),
  },
  type: {
    family: families.plain,
    size: 18,
    heading: { family: 'inherit', size: 62, weight: 300 },
  },
  card: { width: 640, padding: 0, radius: 0, border: 0, shadow: 'none', opacity: 0, position: 'center' },
  field: { radius: 30, border: 1, padding: 14, shadow: 'none', width: 'full' },
  button: { radius: 30, border: 0, padding: 15, shadow: 'none', width: 'auto' },
  gradient: 180,
  drawing,
  css: `
main{text-align:center}h1{letter-spacing:-.02em}
:is(.message,.hint,.field,.stay,.agree,.error,.rich){margin-inline:auto}
.stay{width:fit-content}.agree{text-align:start;width:fit-content}.error{text-align:start}.field input{padding-inline-start:1.4rem}
.site{margin-block-end:1.1rem}.closed .request{margin-top:1.25rem;padding-top:0;border:0}.closed .request form{margin-top:.75rem}.closed .request .open{background:var(--button);color:var(--buttonText);border:var(--button-border) solid var(--buttonLine);box-shadow:var(--button-shadow)}
.site img,.figure img{margin-inline:auto}:is(.links,.foot,.row){justify-content:center}
.countdown b{display:block;margin-top:.15em;font:var(--heading-weight) clamp(1.7rem,1rem + 2.4vw,2.6rem)/1.2 var(--heading-family)}`.trim(),
  // The ridge has a place of its own under the words, so that they never meet it.
  drawingCss: `
body{padding-block:clamp(1.25rem,5vh,5rem) clamp(8rem,13vw + 1.5rem,19rem)}
.art{background:none;inset-block-start:auto;height:clamp(7rem,13vw,17rem)}
.art svg{width:100%;height:100%}
.far{fill:var(--shade)}.near{fill:var(--shape)}.sun{fill:var(--glow)}.ring{fill:var(--glow);opacity:.16}.low{fill:var(--shade)}`.trim(),
};

/** The sun is up where a password opens the place, and still behind the ridge where none does. */
function drawing(isOpenable: boolean): string {
  const [height, spread] = isOpenable ? [244, 72] : [250, 80];
  const sun =
    `<circle class="ring" cx="820" cy="${height}" r="${spread}"/>` +
    `<circle class="sun" cx="820" cy="${height}" r="46"/>`;
  return (
    `<svg viewBox="0 0 1440 360" preserveAspectRatio="xMidYMax slice" focusable="false">${sun}` +
    '<path class="far" d="M0 290c150-60 260-70 380-44s190 8 300-14 210-20 330 10 260 6 430-40v158H0z"/>' +
    '<path class="near" d="M0 330c210-44 330-40 470-26s220 12 330-6 190-24 300-8 210 18 340-10v80H0z"/>' +
    // A dome on the ridge, with its slit.
    '<path class="near" d="M300 320v-40a26 26 0 0 1 52 0v40z"/><path class="low" d="M322 256l6 0v26h-6z"/></svg>'
  );
}
