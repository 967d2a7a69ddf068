import type { shownStates } from '../core/screen/sample.js';
import { sampleFacts, sampleView } from '../core/screen/sample.js';
import { inScheme, type Screen } from '../core/screen/screen.js';
import { renderScreen } from '../core/screen/render.js';
import { escapeHtml } from '../core/screen/html.js';
import type { ScreenLanguage } from '../core/screen/languages.js';
import type { Policy } from '../core/policy/types.js';
import type { ScreenState } from '../core/screen/view.js';

/** The sizes that screens are shown in, in pixels. */
export const frameSizes = {
  desk: { width: 1280, height: 800, scale: 0.4 },
  phone: { width: 360, height: 740, scale: 0.55 },
} as const;

export type FrameSize = keyof typeof frameSizes;

/** One screen in one state, as a visitor of one kind sees it. */
export interface Frame {
  readonly screen: Screen;
  readonly state: ScreenState;
  readonly language: ScreenLanguage;
  readonly scheme: 'light' | 'dark';
}

export const stateWords: Readonly<Record<(typeof shownStates)[number], string>> = {
  ask: 'Asks for the password',
  wrong: 'The password was wrong',
  wait: 'There were too many tries',
  'sign-in': 'Asks to sign in',
  closed: 'Closed, with no password',
  sent: 'A letter was sent',
};

/** The HTML of a screen in a frame. */
export function frameHtml(
  policy: Policy,
  { screen, state, language, scheme }: Frame,
  script: string,
  now: number,
): string {
  // Found by the locks that show it, which know the screen as it is in the policy.
  const facts = sampleFacts(policy, screen);
  const view = sampleView(facts, inScheme(screen, scheme), state, language, { now, script });
  return renderScreen(view).replace(' autofocus', '');
}

/** A frame at a size, scaled down. */
export function framed(inner: string, size: FrameSize, label: string, scale: number = frameSizes[size].scale): string {
  const { width, height } = frameSizes[size];
  const box = `style="width:${width * scale}px;height:${height * scale}px"`;
  return `<div class="box" ${box}><iframe title="${escapeHtml(label)}, ${size}" ${inner} style="width:${width}px;height:${height}px;transform:scale(${scale})"></iframe></div>`;
}

/** Frames side by side, with a caption under all of them, which may be a link. */
export function captioned(frames: readonly string[], caption: string, href?: string): string {
  const words = escapeHtml(caption);
  const shown = href === undefined ? words : `<a href="${escapeHtml(href)}">${words}</a>`;
  return `<figure><div class="frames">${frames.join('')}</div><figcaption>${shown}</figcaption></figure>`;
}

/** The style of pages that show screens side by side. */
export const framesStyle = `
:root{color-scheme:light dark;--ground:#e9ecea;--ink:#17211f;--soft:#51605c;--edge:#b9c4c0}
@media(prefers-color-scheme:dark){:root{--ground:#1a201e;--ink:#eef2f0;--soft:#aab8b3;--edge:#44504c}}
*{box-sizing:border-box}
body{margin:0;padding:1.75rem 2rem 3rem;background:var(--ground);color:var(--ink);font:400 1rem/1.5 "Avenir Next",Avenir,"Segoe UI Variable Text","Segoe UI",Ubuntu,Cantarell,"Noto Sans","DejaVu Sans",sans-serif}
h1{margin:0;font-size:1.375rem;line-height:1.25;letter-spacing:-.01em}
h2{margin:2.25rem 0 .75rem;font-size:1.0625rem}
p{margin:.25rem 0 0;color:var(--soft);max-width:60rem}
.row{display:flex;flex-wrap:wrap;gap:1.25rem;margin-top:1rem;align-items:flex-start}
figure{margin:0}
.frames{display:flex;gap:.5rem}
figcaption{margin-top:.4rem;font-size:.875rem;color:var(--soft)}
a{color:inherit;text-underline-offset:.2em}
a:focus-visible,select:focus-visible,button:focus-visible{outline:3px solid var(--ink);outline-offset:2px;border-radius:.2rem}
.box{overflow:hidden;background:var(--ground);box-shadow:0 0 0 1px var(--edge)}
iframe{border:0;display:block;transform-origin:0 0}
header form{display:flex;flex-wrap:wrap;gap:.6rem 1.25rem;margin-top:1rem;align-items:center}
select,button{font:inherit;font-size:.9375rem;color:inherit;background:transparent;border:1px solid var(--soft);border-radius:.4rem;padding:.3rem .6rem;min-height:2.25rem}
option{background:var(--ground)}
.broken{margin-top:1rem;padding:.8rem 1rem;border-inline-start:.3rem solid #b3261e;background:#fbe9e4;color:#6d1811;white-space:pre-wrap;font:400 .875rem/1.5 ui-monospace,"DejaVu Sans Mono",monospace}
.broken:empty{display:none}
`.trim();
