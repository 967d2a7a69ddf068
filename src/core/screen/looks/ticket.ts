import type { Look } from '../design/design.js';
import { families } from '../design/roles.js';
import { palette } from './palette.js';

/** A ticket with its stub, on a loud ground. */
export const ticket: Look = {
  name: 'ticket',
  about: 'A ticket with its stub, in loud colors. For events and offers',
  layout: 'card',
  colors: {
    light: palette({
      page: '#ffc43d',
      card: '#fffaf0',
      text: '#1c1410',
      soft: '#5c4f45',
      line: '#1c1410',
      field: '#ffffff',
      button: '#1c1410',
      buttonText: '#fffaf0',
      focus: '#c8201a',
      error: '#b01810',
      errorGround: '#ffe6dd',
      art: '#c8201a',
      shade: '#a3150f',
      shape: '#fffaf0',
      glow: '#ffc43d',
    }),
    dark: palette({
      page: '#2b1c03',
      card: '#17120d',
      text: '#fff4e0',
      soft: '#cfc0ab',
      line: '#a8977e',
      field: '#0f0b08',
      button: '#ffc43d',
      buttonText: '#1c1410',
      focus: '#ffc43d',
      error: '#ffb3a6',
      errorGround: '#43150f',
      art: '#8f150f',
      shade: '#6f0e09',
      shape: '#fff4e0',
      glow: '#ffc43d',
    }),
  },
  type: {
    family: families.plain,
    size: 17,
    heading: { family: families.narrow, size: 58, weight: 800 },
  },
  card: {
    width: 620,
    padding: 48,
    radius: 14,
    border: 0,
    shadow: 'none',
    opacity: 1,
    position: 'center',
  },
  field: { radius: 6, border: 3, padding: 10, shadow: 'none', width: 'full' },
  button: { radius: 6, border: 0, padding: 12, shadow: 'none', width: 'auto' },
  gradient: undefined,
  drawing,
  css: 'h1{text-transform:uppercase;letter-spacing:-.005em;line-height:1}:lang(de) h1{hyphens:auto}',
  drawingCss: `
body{grid-template:auto auto/minmax(0,1fr);align-content:center;justify-items:stretch}
.art{position:relative;inset:auto;height:6rem;overflow:visible;border-radius:var(--card-radius) var(--card-radius) 0 0;border-block-end:3px dashed var(--page)}
.art::before,.art::after{content:"";position:absolute;width:1.75rem;height:1.75rem;border-radius:50%;background:var(--page);inset-block-end:-.95rem;z-index:1}
.art::before{inset-inline-start:-.9rem}.art::after{inset-inline-end:-.9rem}
.art svg{width:100%;height:100%}
.star{fill:var(--glow)}.star.dim{fill:var(--shade)}.bars{fill:var(--shape)}
.art .across{display:none}
main{width:auto;border-start-start-radius:0;border-start-end-radius:0}
@media(min-width:52rem){body{grid-template:auto/11rem minmax(0,var(--card-width));justify-content:center;align-content:center;align-items:stretch}
.art{height:auto;border-radius:var(--card-radius);border-block-end:0;border-inline-end:3px dashed var(--page)}
.art::before,.art::after{inset-block-end:auto;inset-inline:auto -.95rem}.art::before{inset-block-start:-.9rem}.art::after{inset-block-end:-.9rem}
.art .along{display:none}.art .across{display:block;position:absolute;inset:0}
main{border-radius:var(--card-radius)}}`.trim(),
};

const star = 'M0-40 11.8-16.2 38-12.4 19-6e-1 23.5 32.4 0 20-23.5 32.4-19-.6-38-12.4-11.8-16.2z';

function drawing(isOpenable: boolean): string {
  const kind = isOpenable ? 'star' : 'star dim';
  const bars = (vertical: boolean) =>
    [0, 9, 15, 27, 33, 42, 57, 63, 72, 81, 96, 102]
      .map((at, number) => {
        const thick = number % 3 === 0 ? 6 : 3;
        return vertical ? `M${at} 0h${thick}v44h-${thick}z` : `M0 ${at}h44v${thick}h-44z`;
      })
      .join('');
  return (
    `<svg class="along" viewBox="0 0 340 96" preserveAspectRatio="xMidYMid meet" focusable="false"><path class="${kind}" transform="translate(60 50) scale(.8)" d="${star}"/><path class="bars" transform="translate(190 26)" d="${bars(true)}"/></svg>` +
    `<svg class="across" viewBox="0 0 176 520" preserveAspectRatio="xMidYMid meet" focusable="false"><path class="${kind}" transform="translate(88 110) scale(1.25)" d="${star}"/><path class="bars" transform="translate(66 330)" d="${bars(false)}"/></svg>`
  );
}
