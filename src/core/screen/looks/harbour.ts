import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** The text in a band of sea; above it a headland with a lighthouse, below it sand. */
export const harbour: Look = {
  name: 'harbour',
  about: 'A band of sea under a lighthouse, lit where a password opens it',
  layout: 'band',
  colors: {
    light: palette({
      page: '#efe6d3',
      card: '#0f3d56',
      text: '#ffffff',
      soft: '#d2e4ec',
      line: '#9bbccb',
      field: '#ffffff',
      fieldText: '#10303f',
      button: '#ffcf5c',
      buttonText: '#1d2b33',
      focus: '#ffcf5c',
      error: '#7d1d12',
      errorGround: '#ffe7de',
      art: '#d3e7ec',
      shade: '#a9c8d0',
      shape: '#3d6a76',
      glow: '#ffcf5c',
    }),
    dark: palette({
      page: '#0a151d',
      card: '#0e2a3b',
      text: '#f2f7f9',
      soft: '#b5cbd6',
      line: '#6e93a5',
      field: '#0a1d29',
      button: '#ffcf5c',
      buttonText: '#1d2b33',
      focus: '#ffcf5c',
      error: '#ffb8a8',
      errorGround: '#43201a',
      art: '#16222f',
      shade: '#1d3342',
      shape: '#0a1a24',
      glow: '#ffcf5c',
    }),
  },
  type: {
    family: families.plain,
    size: 17,
    heading: { family: families.bookish, size: 46, weight: 600 },
  },
  card: {
    width: 640,
    padding: 52,
    radius: 0,
    border: 0,
    shadow: 'none',
    opacity: 1,
    position: 'center',
  },
  field: { radius: 4, border: 2, padding: 11, shadow: 'none', width: 'full' },
  button: { radius: 40, border: 0, padding: 12, shadow: 'none', width: 'auto' },
  gradient: undefined,
  drawing,
  css: '',
  drawingCss: `
.art svg{position:absolute;inset-inline:0;inset-block-end:0;width:100%;height:100%}
.far{fill:var(--shade)}.land,.hull{fill:var(--shape)}.tower,.sail{fill:var(--text)}.lamp{fill:var(--glow)}.beam{fill:var(--glow);opacity:.26}.off{fill:var(--shape)}
.sun{fill:var(--text);opacity:.4}
main::after{content:"";position:absolute;inset-inline:0;inset-block-end:-.9rem;height:1rem;background:radial-gradient(circle at 50% -.55rem,var(--ground) 1.35rem,transparent 1.4rem) 50% 0/3rem 1rem}
.foot{margin-top:1.6rem}`.trim(),
};

function drawing(isOpenable: boolean): string {
  const lamp = isOpenable
    ? '<path class="beam" d="M1096 181 0 138v72zM1104 181l336-18v32z"/><circle class="lamp" cx="1100" cy="181" r="8"/>'
    : '<circle class="off" cx="1100" cy="181" r="8"/>';
  return (
    '<svg viewBox="0 0 1440 300" preserveAspectRatio="xMaxYMax slice" focusable="false">' +
    '<circle class="sun" cx="420" cy="212" r="44"/>' +
    '<path class="far" d="M0 272c160-30 300-44 470-26s250 10 420 4 330-26 550 4v46H0z"/>' +
    '<path class="land" d="M860 300c60-24 110-46 180-50s120-10 200-4 130 20 200 30v24z"/>' +
    `<path class="tower" d="M1086 250l6-58h16l6 58z"/><path class="land" d="M1088 193h24v-4h-24zM1091 172l9-11 9 11z"/>${lamp}` +
    '<path class="hull" d="M800 286h74l-13 14h-50z"/><path class="sail" d="M836 280v-58l32 58zM831 280v-44l-22 44z"/></svg>'
  );
}
