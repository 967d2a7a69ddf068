import { channelsOf } from './design/color.js';
import { placeholderOpacity } from './design/contrast.js';
import type { Control, Design, Palette } from './design/design.js';
import type { Layout, Width } from './design/document.js';
import { shadows, type Position, type Shadow } from './design/roles.js';

/** The whole style of a screen, as it stands in its `style` element. */
export function screenStyle(design: Design): string {
  const { layout } = design;
  const parts = [
    fontFaces(design),
    colorRules(design),
    measures(design),
    base,
    layouts[layout],
    backgroundOf(design),
    design.css,
    design.drawingCss,
    blocksUsed(design),
    closing,
    design.ownCss,
  ];
  // A style element ends at the first `</style`, wherever that stands (HTML standard 13.2.5.4); and
  // line ends are made one before a browser compares hashes (13.2.3.5).
  return parts
    .join('\n')
    .replace(/\r\n?/g, '\n')
    .replaceAll('\0', '')
    .replace(/<\/(?=style)/gi, '<\\/')
    .trim();
}

const rgb = (palette: Palette, role: keyof Palette, opacity: number) =>
  `rgb(${channelsOf(palette[role]).join(' ')}/${Math.round(opacity * 100)}%)`;

/** The colors as properties, for what the visitor prefers. */
function colorRules({ colors, scheme, card, background }: Design): string {
  const at = ':root';
  const set = (name: 'light' | 'dark') => {
    const palette = colors[name];
    return (
      Object.entries(palette)
        .map(([role, color]) => `--${role}:${color}`)
        .join(';') +
      `;--ground:${rgb(palette, 'card', card.opacity)};--veil:${rgb(palette, 'page', background.overlay)}`
    );
  };
  if (scheme !== 'both') return `${at}{color-scheme:${scheme};${set(scheme)}}`;
  return `${at}{color-scheme:light dark;${set('light')}}` + `@media(prefers-color-scheme:dark){${at}{${set('dark')}}}`;
}

/** A shadow; one that lies under what has a color of its own. */
const shadowOf = (name: Shadow, color = '0 0 0') => {
  const { across, down, blur, opacity } = shadows[name];
  if (name === 'none') return 'none';
  return name === 'hard'
    ? `${across}px ${down}px 0 var(--line)`
    : `${across}px ${down}px ${blur}px rgb(${color}/${opacity * 100}%)`;
};

/** `full` ends where a line of text does: a longer field would be no easier to type into. */
const widthOf = (width: Width) =>
  width === 'full' ? 'min(100%,27rem)' : width === 'auto' ? 'fit-content' : `min(100%,${rem(width)})`;

const rem = (pixels: number) => `${Number((pixels / 16).toFixed(4))}rem`;

/** Sizes as properties. Lengths in rem, so that they grow with the visitor's own text size. */
export function measures({ type, card, field, button }: Design, at = ':root'): string {
  const control = (name: string, { radius, border, padding, shadow, width }: Control) =>
    `--${name}-radius:${rem(radius)};--${name}-border:${border}px;--${name}-padding:${rem(padding)};` +
    `--${name}-shadow:${shadowOf(shadow)};--${name}-width:${widthOf(width)};`;
  return (
    `${at}{--family:${type.family};--size:${rem(type.size)};--heading-family:${type.heading.family === 'inherit' ? 'var(--family)' : type.heading.family};` +
    `--heading-size:${rem(type.heading.size)};--heading-weight:${type.heading.weight};` +
    `--card-width:${rem(card.width)};--card-padding:${rem(card.padding)};--card-radius:${rem(card.radius)};` +
    `--card-border:${card.border}px;--card-shadow:${shadowOf(card.shadow)};` +
    `${control('field', field)}${control('button', button)}}`
  );
}

const fontFaces = ({ fontFiles }: Design) =>
  fontFiles
    .map(
      ({ family, file, weight, style }) =>
        `@font-face{font-family:"${family}";src:url("${file}");font-display:swap;font-style:${style}` +
        `${weight === undefined ? '' : `;font-weight:${weight}`}}`,
    )
    .join('');

// Logical properties and `inset` throughout, so that all turns with the writing.
const base = `
*{box-sizing:border-box}
html{font-size:100%;height:100%;background:var(--page)}
body{margin:0;min-height:100vh;min-height:100dvh;font:400 var(--size)/1.55 var(--family);color:var(--text);display:grid;overflow-wrap:anywhere}
main{display:flex;flex-direction:column;min-width:0;background:var(--ground)}
p,ul,figure{margin:0}
.site{margin-block-end:1.75rem;font-size:.9375em;font-weight:600;color:var(--soft)}
.of{margin-block-end:.3rem;font-weight:600}
.site img{display:block}
img{max-width:100%;height:auto}
h1{margin:0 0 .6rem;font:var(--heading-weight) clamp(calc(var(--heading-size)*.66),calc(var(--heading-size)*.45 + 2.4vw),var(--heading-size))/1.14 var(--heading-family);text-wrap:balance}
.message{font-size:1.0625em;color:var(--soft);max-width:34em}
.opens{margin-top:1rem;font-weight:600;color:var(--text)}
form{margin-top:1.75rem}
label{display:block;font-weight:600}
.field{display:flex;width:var(--field-width);max-width:100%;margin-top:.4rem;border:var(--field-border) solid var(--line);border-radius:var(--field-radius);background:var(--field);box-shadow:var(--field-shadow)}
.field input{flex:1;min-width:0;font:inherit;font-size:1.0625em;color:var(--fieldText);background:none;border:0;padding:var(--field-padding);border-radius:inherit;outline:0}
.field input::placeholder{color:inherit;opacity:${placeholderOpacity}}
.field:has(input:focus){outline:3px solid var(--focus);outline-offset:2px}
.field button{flex:none;font:inherit;font-size:.875em;font-weight:600;color:var(--fieldText);background:none;border:0;border-radius:inherit;padding:0 .95rem;min-width:4.25rem;cursor:pointer;text-decoration:underline;text-underline-offset:.2em;text-decoration-thickness:1px}
:is(body.fault main>form,.request.fault) .field{border-color:var(--error)}
.error{margin-block-end:1.1rem;padding:.75rem 1rem;border-inline-start:.3rem solid var(--error);border-radius:.25rem;background:var(--errorGround);color:var(--error);font-weight:600;max-width:31rem}
.stay,.agree{display:flex;gap:.65rem;align-items:flex-start;margin-top:1rem;font-weight:400;max-width:27rem}
:is(.stay,.agree) input{flex:none;width:1.25rem;height:1.25rem;margin:.16rem 0 0;accent-color:var(--button)}
.open{margin-top:1.2rem;width:var(--button-width);max-width:100%;overflow-wrap:anywhere;font:inherit;font-weight:700;color:var(--buttonText);background:var(--button);border:var(--button-border) solid var(--buttonLine);border-radius:var(--button-radius);box-shadow:var(--button-shadow);padding:var(--button-padding) calc(var(--button-padding)*2);min-height:2.75rem;cursor:pointer}
a.open{display:inline-block;text-align:center;text-decoration:none}
.open:hover{text-decoration:underline;text-underline-offset:.2em}
:is(button,.stay input,.agree input,a):focus-visible{outline:3px solid var(--focus);outline-offset:3px}
.hint{margin-top:1.4rem;font-size:.9375em;color:var(--soft);max-width:31rem}
.foot{display:flex;flex-wrap:wrap;gap:.4rem 1.5rem;align-items:baseline;font-size:.9375em}
.foot a{display:inline-block;padding-block:.35rem;font-weight:600}
.small{color:var(--soft);font-size:.9333em}
a{color:var(--link);text-underline-offset:.22em;text-decoration-thickness:1px;border-radius:.2rem}
.trap{position:absolute;inset-inline-start:-99rem}
.art{position:relative;overflow:hidden;background:var(--art)}
.art svg,.art img{display:block}
.art img{width:100%;height:100%;object-fit:cover}
`.trim();

/** Text on a card, at one of nine places. */
const floating = `
main{width:min(100%,var(--card-width));padding:var(--card-padding) min(var(--card-padding),max(1.25rem,5vw));border-radius:var(--card-radius);border:var(--card-border) solid var(--line);box-shadow:var(--card-shadow);position:relative}
.foot{margin-top:2rem}
.art{position:absolute;inset:0}
`.trim();

const layouts: Readonly<Record<Layout, string>> = {
  side: `
body{grid-template:auto 1fr/minmax(0,1fr)}
.art{height:7.5rem}
main{padding:2.25rem clamp(1.25rem,5vw,var(--card-padding)) 2rem}
main>*{max-width:var(--card-width)}
.foot{margin-top:auto;padding-top:2.5rem}
@media(min-width:52rem){body{grid-template:1fr/minmax(20rem,38%) minmax(0,1fr)}body.end{grid-template-columns:minmax(0,1fr) minmax(20rem,38%)}.end .art{order:1}.art{height:auto;min-height:100%}main{padding:clamp(2.5rem,15vh,9rem) clamp(3rem,7vw,7rem) 2.5rem}}
body:not(:has(.art)){grid-template:1fr/minmax(0,1fr)}`.trim(),
  card: `${floating}
body{padding:clamp(1rem,4vw,3.5rem);position:relative}`,
  cover: `${floating}
body{padding:clamp(1.25rem,6vw,6rem);position:relative}
.art{height:100%}`,
  band: `
body{grid-template:minmax(9rem,1fr) auto minmax(3rem,.4fr)/minmax(0,1fr)}
.art{grid-row:1}
main{grid-row:2;padding:var(--card-padding) max(1.25rem,50% - var(--card-width)/2);border-block:var(--card-border) solid var(--line);box-shadow:var(--card-shadow);position:relative}
.foot{margin-top:1.75rem}`.trim(),
  sheet: `
main{width:min(100%,var(--card-width));padding:clamp(1.5rem,5vw,var(--card-padding));min-height:100%;border:solid var(--line);border-width:0 var(--card-border);box-shadow:var(--card-shadow)}
.foot{margin-top:auto;padding-top:2.5rem}
.art{display:none}`.trim(),
};

const across: Readonly<Record<'start' | 'center' | 'end', string>> = {
  start: '0%',
  center: '50%',
  end: '100%',
};

function placed(position: Position): {
  readonly block: string;
  readonly inline: 'start' | 'center' | 'end';
} {
  const block = position.startsWith('top') ? 'start' : position.startsWith('bottom') ? 'end' : 'center';
  const inline = position.endsWith('start') ? 'start' : position.endsWith('end') ? 'end' : 'center';
  return { block, inline };
}

/** A position as `background-position` and `object-position` have it. */
export function pointOf(position: Position): string {
  const { block, inline } = placed(position);
  return `${across[inline]} ${across[block as keyof typeof across]}`;
}

/** The page behind the text, and where on it the text stands. */
function backgroundOf({ layout, card, background, picture }: Design): string {
  const { gradient, picture: file, fit, position, repeat, overlay } = background;
  const layers = [
    ...(file !== undefined && overlay > 0 ? ['linear-gradient(var(--veil),var(--veil))'] : []),
    ...(file === undefined
      ? []
      : [`url("${file}") ${pointOf(position)}/${fit === 'own' ? 'auto' : fit} ${repeat ? 'repeat' : 'no-repeat'}`]),
    ...(gradient === undefined ? [] : [`linear-gradient(${gradient}deg,var(--page),var(--pageEnd))`]),
  ];
  const ground = layers.length === 0 ? '' : `body{background:${layers.join(',')} var(--page)}`;
  const { block, inline } = placed(card.position);
  const place =
    layout === 'card' || layout === 'cover'
      ? `body{align-items:${block};justify-items:${inline}}`
      : layout === 'sheet'
        ? `body{justify-items:${inline}}`
        : '';
  const point = typeof picture === 'object' ? `.art img{object-position:${pointOf(picture.position)}}` : '';
  return ground + place + point;
}

const blockRules = {
  rich: '.rich{margin-top:1.4rem;max-width:34em}.rich>*+*{margin-top:.7em}.rich :is(h2,h3){margin-block-end:0;font-size:1.0625em;line-height:1.3}.rich :is(ul,ol){padding-inline-start:1.3em;margin-block-end:0}',
  figure: '.figure{margin-top:1.4rem}.figure img{border-radius:var(--field-radius)}',
  row: '.row{margin-top:1.4rem;display:flex;gap:1.25rem;flex-wrap:wrap;align-items:center}',
  links:
    '.links{margin-top:1.4rem;padding:0;list-style:none;display:flex;flex-wrap:wrap;gap:.25rem 1.5rem}.links a{display:inline-block;padding-block:.35rem}',
  countdown: '.countdown{margin-top:1.4rem;font-weight:600}.countdown b{font-variant-numeric:tabular-nums}',
  request:
    '.request{margin-top:2.25rem;padding-top:1.5rem;border-top:1px solid var(--line)}.request form{margin-top:1rem}.request h2{margin:0 0 .35rem;font-size:1.0625em;line-height:1.3}.request .open{background:none;color:var(--link);border:2px solid currentColor;box-shadow:none}',
} as const;

function blocksUsed({ above, below }: Design): string {
  const kinds = new Set([...above, ...below].map(({ kind }) => kind));
  return [
    kinds.has('markdown') ? blockRules.rich : '',
    kinds.has('picture') ? blockRules.figure : '',
    kinds.has('pictures') ? blockRules.row : '',
    kinds.has('links') ? blockRules.links : '',
    kinds.has('countdown') ? blockRules.countdown : '',
    kinds.has('request') ? blockRules.request : '',
  ].join('');
}

const closing = `
@media(forced-colors:active){.field,.open{border:1px solid CanvasText}}
@media print{.art,form,.foot{display:none}body,main{display:block;background:#fff}*{color:#000!important;box-shadow:none!important}}
`.trim();
