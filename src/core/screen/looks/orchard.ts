import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** A card before a wall of leaves and pears, as on old paper. */
export const orchard: Look = {
  name: 'orchard',
  about: 'A round card before leaves and pears. Friendly, for families and clubs',
  layout: 'card',
  colors: {
    light: palette({
      page: '#dbe6c8',
      card: '#fffdf6',
      text: '#23301c',
      soft: '#55624b',
      line: '#7c8a6e',
      field: '#ffffff',
      button: '#2f6b3a',
      buttonText: '#ffffff',
      focus: '#2f6b3a',
      error: '#a3261b',
      errorGround: '#fdeae5',
      art: '#dbe6c8',
      shade: '#b5ca97',
      shape: '#93b071',
      glow: '#e9a845',
    }),
    dark: palette({
      page: '#141b0e',
      card: '#20291a',
      text: '#f3f6ea',
      soft: '#bcc8ad',
      line: '#8b9b7b',
      field: '#171e11',
      button: '#bfdc93',
      buttonText: '#172208',
      focus: '#bfdc93',
      error: '#ffb5a8',
      errorGround: '#40190f',
      art: '#141b0e',
      shade: '#1f2a16',
      shape: '#2a3a1d',
      glow: '#8d6224',
    }),
  },
  type: {
    family: families.round,
    size: 17,
    heading: { family: 'inherit', size: 38, weight: 700 },
  },
  card: {
    width: 528,
    padding: 52,
    radius: 36,
    border: 0,
    shadow: 'soft',
    opacity: 1,
    position: 'center',
  },
  field: { radius: 18, border: 2, padding: 12, shadow: 'none', width: 'full' },
  button: { radius: 18, border: 0, padding: 13, shadow: 'none', width: 'full' },
  gradient: undefined,
  drawing,
  css: '',
  drawingCss: `
.art svg{width:100%;height:100%}
.leaf{fill:var(--shade)}.other{fill:var(--shape)}.pear{fill:var(--glow)}.stem{fill:none;stroke:var(--shape);stroke-width:4;stroke-linecap:round}`.trim(),
};

function drawing(isOpenable: boolean): string {
  // Ripe where it opens, green where it does not.
  const pear = isOpenable ? 'pear' : 'other';
  return (
    '<svg focusable="false"><defs><pattern id="grove" width="240" height="240" patternUnits="userSpaceOnUse" patternTransform="rotate(-8)">' +
    '<path class="stem" d="M58 38c-6 18-4 30 2 44M180 150c-8 14-8 26-2 40"/>' +
    '<path class="leaf" d="M60 44c18-30 48-34 66-26-6 26-36 40-66 26zM176 156c-34-2-50-24-50-44 28 0 50 18 50 44zM20 206c4-28 28-42 50-40-2 26-22 44-50 40zM196 70c22-20 48-16 58-4-14 20-40 22-58 4zM-44 70c22-20 48-16 58-4-14 20-40 22-58 4z"/>' +
    '<path class="other" d="M54 52C26 54 8 40 4 22c22-6 46 6 50 30zM184 150c10-28 34-36 52-30-4 24-28 38-52 30zM112 232c-4-24 10-42 30-48 8 20-4 42-30 48zM112-8c-4-24 10-42 30-48 8 20-4 42-30 48z"/>' +
    `<path class="${pear}" d="M60 80c9 0 11 9 12 18 2 12 14 16 14 32a26 26 0 0 1-52 0c0-16 12-20 14-32 1-9 3-18 12-18zM178 188c8 0 9 8 10 15 2 10 12 14 12 27a22 22 0 0 1-44 0c0-13 10-17 12-27 1-7 2-15 10-15zM178-52c8 0 9 8 10 15 2 10 12 14 12 27a22 22 0 0 1-44 0c0-13 10-17 12-27 1-7 2-15 10-15z"/>` +
    '</pattern></defs><rect width="100%" height="100%" fill="url(#grove)"/></svg>'
  );
}
