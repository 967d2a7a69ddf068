import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** A builder's plan: for what is not finished. */
export const blueprint: Look = {
  name: 'blueprint',
  about: 'A builder’s plan beside typewritten words. For what is not finished',
  layout: 'side',
  colors: {
    light: palette({
      page: '#f3f7fc',
      card: '#f3f7fc',
      text: '#0f2d5c',
      soft: '#3f5a86',
      line: '#5b79a8',
      field: '#ffffff',
      button: '#1546a0',
      buttonText: '#ffffff',
      focus: '#1546a0',
      error: '#9b2016',
      errorGround: '#fde8e3',
      art: '#1546a0',
      shade: '#2a5cb8',
      shape: '#ffffff',
      glow: '#ffd84d',
    }),
    dark: palette({
      page: '#0b1730',
      card: '#0b1730',
      text: '#eaf1ff',
      soft: '#aec2e6',
      line: '#7d9bd0',
      field: '#081126',
      button: '#ffd84d',
      buttonText: '#1b1600',
      focus: '#ffd84d',
      error: '#ffb9ae',
      errorGround: '#431a1a',
      art: '#0a2459',
      shade: '#14357a',
      shape: '#cfe0ff',
      glow: '#ffd84d',
    }),
  },
  type: {
    family: families.drawn,
    size: 16,
    heading: { family: 'inherit', size: 38, weight: 700 },
  },
  card: {
    width: 560,
    padding: 48,
    radius: 0,
    border: 0,
    shadow: 'none',
    opacity: 1,
    position: 'start',
  },
  field: { radius: 0, border: 2, padding: 12, shadow: 'none', width: 'full' },
  button: { radius: 0, border: 0, padding: 13, shadow: 'none', width: 'auto' },
  gradient: undefined,
  drawing,
  css: 'h1{letter-spacing:-.03em}',
  drawingCss: `
.art{background:linear-gradient(var(--shade) 1px,transparent 1px) 0 0/1.5rem 1.5rem,linear-gradient(90deg,var(--shade) 1px,transparent 1px) 0 0/1.5rem 1.5rem var(--art)}
.art svg{position:absolute;inset:0;width:100%;height:21rem;inset-block-start:-2.5rem;fill:none;stroke:var(--shape);stroke-width:3}
.thin{stroke-width:1.5;stroke-dasharray:7 6}.door{stroke:var(--glow);stroke-width:4}
@media(min-width:52rem){.art svg{inset:0;height:100%;padding:3rem}}`.trim(),
};

function drawing(isOpenable: boolean): string {
  const door = isOpenable ? 'M182 420v-92M182 328a92 92 0 0 1 92 92' : 'M182 420h92';
  return (
    '<svg viewBox="0 0 460 560" focusable="false">' +
    '<path d="M60 420V250a170 170 0 0 1 340 0v170h-126M60 420h122M80 420V250a150 150 0 0 1 300 0v170M230 80V56M206 100l-16-60h80l-16 60"/>' +
    '<path class="thin" d="M60 440v64M400 440v64M420 250h32M420 420h32M230 120v300"/>' +
    '<path d="M60 490h340M60 490l14-7v14zM400 490l-14-7v14zM440 250v170M440 250l-7 14h14zM440 420l-7-14h14z" stroke-width="1.5"/>' +
    `<path class="door" d="${door}"/></svg>`
  );
}
