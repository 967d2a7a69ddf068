import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** Dusk: a lantern hangs from a branch, and the words stand on the evening itself. */
export const lantern: Look = {
  name: 'lantern',
  about: 'A lantern on a branch at dusk, lit where a password opens it',
  layout: 'cover',
  colors: {
    light: palette({
      page: '#fbeee2',
      pageEnd: '#e3d7ec',
      card: '#fbeee2',
      text: '#2b1b3d',
      soft: '#5a4868',
      line: '#85709a',
      field: '#fffaf5',
      button: '#5b2a86',
      buttonText: '#ffffff',
      focus: '#5b2a86',
      error: '#96201a',
      errorGround: '#fde3dc',
      art: '#fbeee2',
      shade: '#c9b3d6',
      shape: '#5c4379',
      glow: '#f0922b',
    }),
    dark: palette({
      page: '#171127',
      pageEnd: '#33204a',
      card: '#171127',
      text: '#fbf3ea',
      soft: '#d3c6de',
      line: '#9583ad',
      field: '#1b132c',
      button: '#ffb347',
      buttonText: '#2a1600',
      focus: '#ffb347',
      error: '#ffb9ae',
      errorGround: '#47191c',
      art: '#171127',
      shade: '#3a2854',
      shape: '#0a0613',
      glow: '#ffb347',
    }),
  },
  type: {
    family: families.bookish,
    size: 18,
    heading: { family: 'inherit', size: 56, weight: 500 },
  },
  card: {
    width: 560,
    padding: 0,
    radius: 0,
    border: 0,
    shadow: 'none',
    opacity: 0,
    position: 'start',
  },
  field: { radius: 14, border: 1, padding: 13, shadow: 'none', width: 'full' },
  button: { radius: 14, border: 0, padding: 14, shadow: 'none', width: 'auto' },
  gradient: 165,
  drawing,
  css: '',
  drawingCss: `
.art{background:none}
.art svg{position:absolute;inset-inline-end:0;inset-block:0;height:100%;width:46%}
[dir=rtl] .art svg{transform:scaleX(-1)}
.hill{fill:var(--shade)}.near,.bough,.iron{fill:var(--shape)}.bough{fill:none;stroke:var(--shape);stroke-width:9;stroke-linecap:round}.chain{stroke:var(--shape);stroke-width:3}
.pane{fill:var(--glow)}.halo{fill:var(--glow);opacity:.13}.dull{fill:var(--shade)}
@media(max-width:60rem){.art{height:10rem}.art svg{width:100%}body{padding-block-start:10.5rem;align-items:start}}`.trim(),
};

function drawing(isOpenable: boolean): string {
  const light = isOpenable
    ? '<circle class="halo" cx="330" cy="362" r="210"/><circle class="halo" cx="330" cy="362" r="130"/><path class="pane" d="M292 322h76l-9 82h-58z"/>'
    : '<path class="dull" d="M292 322h76l-9 82h-58z"/>';
  return (
    '<svg viewBox="0 0 600 800" preserveAspectRatio="xMaxYMid slice" focusable="false">' +
    '<path class="hill" d="M40 800c120-110 260-150 380-160s140-20 180-30v190z"/><path class="near" d="M210 800c90-60 190-78 270-84s90-10 120-14v98z"/>' +
    '<path class="bough" d="M620 150c-90 18-150 62-290 58M500 180c-50-34-80-40-128-38M430 198c-40 30-66 34-100 44"/>' +
    `<path class="chain" d="M330 210v84"/>${light}` +
    '<path class="iron" d="M284 312h92v12h-92zM296 402h68v12h-68zM306 294a24 24 0 0 1 48 0l10 18h-68zM328 324h4v80h-4z"/></svg>'
  );
}
