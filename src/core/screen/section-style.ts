import type { Design } from './design/design.js';
import { roleNames } from './design/roles.js';
import { measures } from './style.js';

/** The class that the form in the place of a section has of its screen. */
export const sectionClass = (screenName: string) => `dorlin-as-${screenName}`;

/** The style of the form in the place of a section: the fields and colors of the screen. */
export function sectionStyle(screenName: string, design: Design): string {
  const at = `.${sectionClass(screenName)}`;
  return `
${colorsOf(design, at)}
${measures(design, at)}
${at}{display:grid;gap:.9rem 1rem;grid-template-columns:minmax(0,1fr) auto;align-items:end;max-width:34rem;box-sizing:border-box;padding:1.4rem 1.5rem;border:max(1px,var(--card-border)) solid var(--line);border-radius:min(var(--card-radius),1rem);background:var(--card);color:var(--text);font:400 var(--size)/1.5 var(--family);text-align:start}
${at} *{box-sizing:border-box}
${at} .dorlin-section-message,${at} .dorlin-section-error{grid-column:1/-1;display:block}
${at} .dorlin-section-message{font-weight:600;text-wrap:balance}
${at} .dorlin-section-field{display:grid;gap:.3rem;font-size:.9375em;font-weight:600}
${at} input{width:100%;min-width:0;margin:0;font:inherit;font-weight:400;font-size:1.0625rem;color:var(--fieldText);background:var(--field);border:max(1px,var(--field-border)) solid var(--line);border-radius:var(--field-radius);padding:var(--field-padding);box-shadow:var(--field-shadow);min-height:2.75rem}
${at} button{margin:0;font:inherit;font-weight:700;color:var(--buttonText);background:var(--button);border:var(--button-border) solid var(--buttonLine);border-radius:var(--button-radius);font-size:1.0625rem;padding:calc(var(--field-padding) + max(1px,var(--field-border)) - var(--button-border)) 1.25rem;min-height:2.75rem;cursor:pointer;box-shadow:var(--button-shadow)}
${at} button:hover{text-decoration:underline;text-underline-offset:.2em}
${at} :focus-visible{outline:3px solid var(--focus);outline-offset:2px}
${at} .dorlin-section-error{color:var(--error);background:var(--errorGround);padding:.6rem .8rem;border-radius:.25rem;font-weight:600}
${at} .dorlin-section-error:empty{display:none}
@media(max-width:26rem){${at}{grid-template-columns:minmax(0,1fr)}}
@media print{${at}{display:none}}`.trim();
}

/**
 * Light or dark as the page around it is: `light-dark()` (CSS Color level 5) asks what that has
 * said, not what the visitor prefers. Older browsers see it light.
 */
function colorsOf({ colors, scheme }: Design, at: string): string {
  const first = scheme === 'dark' ? 'dark' : 'light';
  const plain = roleNames.map((role) => `--${role}:${colors[first][role]}`).join(';');
  if (scheme !== 'both') return `${at}{color-scheme:${scheme};${plain}}`;
  const both = roleNames.map((role) => `--${role}:light-dark(${colors.light[role]},${colors.dark[role]})`).join(';');
  return `${at}{${plain}}@supports(color:light-dark(#000,#fff)){${at}{${both}}}`;
}
