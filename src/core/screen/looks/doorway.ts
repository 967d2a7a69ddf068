import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** An arched door, ajar, and beside it one column of text on pale ground. */
export const doorway: Look = {
  name: 'doorway',
  about: 'An arched door, ajar where a password opens it. Calm, for any site',
  layout: 'side',
  colors: {
    light: palette({
      page: '#eff3f1',
      card: '#eff3f1',
      text: '#142b2a',
      soft: '#48605e',
      line: '#6f8886',
      field: '#ffffff',
      button: '#14383a',
      buttonText: '#ffffff',
      focus: '#14383a',
      error: '#9a2318',
      errorGround: '#fbe9e4',
      art: '#14383a',
      shade: '#0d2728',
      shape: '#14383a',
      glow: '#f4b942',
    }),
    dark: palette({
      page: '#10201f',
      card: '#10201f',
      text: '#eef4f1',
      soft: '#b3c5c1',
      line: '#7f9a96',
      field: '#172c2b',
      button: '#f4b942',
      buttonText: '#1c1503',
      focus: '#f4b942',
      error: '#ffb4a6',
      errorGround: '#3a1a15',
      art: '#0a1717',
      shade: '#061010',
      shape: '#0a1717',
      glow: '#f4b942',
    }),
  },
  type: {
    family: families.plain,
    size: 17,
    heading: { family: 'inherit', size: 44, weight: 700 },
  },
  card: {
    width: 592,
    padding: 56,
    radius: 0,
    border: 0,
    shadow: 'none',
    opacity: 1,
    position: 'end',
  },
  field: { radius: 9, border: 2, padding: 11, shadow: 'none', width: 'full' },
  button: { radius: 9, border: 0, padding: 13, shadow: 'none', width: 'auto' },
  gradient: undefined,
  drawing: doorPicture,
  css: 'h1{letter-spacing:-.022em}',
  drawingCss: `
.art{display:flex;padding-inline:1.5rem;align-items:flex-end}
.art svg{overflow:visible;width:6.5rem;height:auto;margin-block-end:-5.2rem}
.stone{fill:var(--shade)}.lit,.knob{fill:var(--glow)}.leaf{fill:var(--shape)}.spill{fill:var(--glow);opacity:.16}
@media(min-width:52rem){.art{justify-content:center;padding:0}.art svg{width:min(66%,20rem);margin:0}}`.trim(),
};

function doorPicture(isOpenable: boolean): string {
  const door = isOpenable
    ? '<path class="lit" d="M40 300V118A60 60 0 0 1 66 68.6V300z"/>' +
      '<path class="leaf" d="M66 300V68.6A60 60 0 0 1 160 118v182z"/><circle class="knob" cx="80" cy="196" r="5"/>' +
      '<path class="spill" d="M40 305h26l-34 160H-70z"/>'
    : '<path class="leaf" d="M40 300V118a60 60 0 0 1 120 0v182z"/><circle class="knob" cx="56" cy="196" r="5"/>';
  return (
    '<svg viewBox="0 0 200 360" focusable="false">' +
    `<path class="stone" d="M18 300V118a82 82 0 0 1 164 0v182z"/>${door}` +
    '<path class="stone" d="M0 300h200v5H0z"/></svg>'
  );
}
