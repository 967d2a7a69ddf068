/**
 * The style of the plain screen: a dark gate with an arched door ajar, and beside it, on pale
 * ground, one column of text. Logical properties throughout, so it turns with the writing.
 */
export const screenStyle = `
:root{color-scheme:light dark;--ground:#eff3f1;--ink:#142b2a;--soft:#48605e;--gate:#14383a;--night:#0d2728;--light:#f4b942;--line:#6f8886;--field:#fff;--press:#14383a;--ring:#14383a;--on-press:#fff;--bad:#9a2318;--bad-ground:#fbe9e4}
@media (prefers-color-scheme:dark){:root{--ground:#10201f;--ink:#eef4f1;--soft:#b3c5c1;--gate:#0a1717;--night:#061010;--line:#7f9a96;--field:#172c2b;--press:#f4b942;--ring:#f4b942;--on-press:#1c1503;--bad:#ffb4a6;--bad-ground:#3a1a15}}
*{box-sizing:border-box}
html{font:100%/1.55 "Avenir Next",Avenir,"Segoe UI Variable Text","Segoe UI",Ubuntu,Cantarell,"Noto Sans","DejaVu Sans",sans-serif;background:var(--ground);color:var(--ink)}
body{margin:0;min-height:100vh;min-height:100dvh;display:grid;grid-template:auto 1fr/minmax(0,1fr)}
.gate{background:var(--gate);overflow:hidden;height:7.5rem;display:flex;justify-content:flex-start;padding-inline:1.5rem;align-items:flex-end}
.gate svg{display:block;overflow:visible;width:6.5rem;height:auto;margin-block-end:-5.2rem}
.stone{fill:var(--night)}.glow{fill:var(--light)}.leaf{fill:var(--gate)}.knob{fill:var(--light)}
.spill{fill:var(--light);opacity:.16}
main{padding:2.25rem 1.5rem 2rem;display:flex;flex-direction:column;max-width:37rem;width:100%}
.site{margin:0 0 1.75rem;font-size:.9375rem;font-weight:600;color:var(--soft);letter-spacing:.01em}
h1{margin:0 0 .6rem;font-size:clamp(1.85rem,1.35rem + 2.2vw,2.75rem);line-height:1.12;letter-spacing:-.022em;font-weight:700;text-wrap:balance}
p{margin:0}
.message{font-size:1.125rem;color:var(--soft);max-width:30rem}

.opens{margin-top:1rem;font-weight:600;color:var(--ink)}
form{margin-top:1.9rem;max-width:27rem}
label{display:block;font-weight:600}
.field{display:flex;margin-top:.4rem;border:2px solid var(--line);border-radius:.55rem;background:var(--field)}
.field input{flex:1;min-width:0;font:inherit;font-size:1.125rem;color:inherit;background:transparent;border:0;padding:.72rem .9rem;border-radius:.4rem;outline:0}
.field:focus-within{border-color:var(--press)}.field:has(input:focus){outline:3px solid var(--ring);outline-offset:3px}
.field button{flex:none;font:inherit;font-size:.9375rem;font-weight:600;color:var(--ink);background:none;border:0;border-radius:.4rem;padding:0 .95rem;min-width:4.5rem;cursor:pointer;text-decoration:underline;text-underline-offset:.2em;text-decoration-thickness:1px}
.wrong .field,.wait .field{border-color:var(--bad)}
.error{margin-bottom:1.25rem;padding:.8rem 1rem;border-inline-start:.3rem solid var(--bad);border-radius:.25rem;background:var(--bad-ground);color:var(--bad);font-weight:600}
.stay{display:flex;gap:.65rem;align-items:flex-start;margin-top:1rem;font-weight:400}
.stay input{flex:none;width:1.25rem;height:1.25rem;margin:.16rem 0 0;accent-color:var(--press)}
.open{margin-top:1.25rem;font:inherit;font-size:1.0625rem;font-weight:700;color:var(--on-press);background:var(--press);border:2px solid transparent;border-radius:.55rem;padding:.72rem 1.5rem;min-height:3rem;cursor:pointer}
.open:hover{filter:brightness(1.15)}
:is(.open,.field button,.stay input,a):focus-visible{outline:3px solid var(--ring);outline-offset:3px}
.hint{margin-top:1.5rem;font-size:.9375rem;color:var(--soft);max-width:27rem}
.home{margin-top:auto;padding-top:2.5rem}
a{color:inherit;text-underline-offset:.22em;text-decoration-thickness:1px;border-radius:.2rem}
.home a{display:inline-block;padding-block:.35rem;font-weight:600}
@media (min-width:52rem){body{grid-template:1fr/minmax(20rem,38%) minmax(0,1fr)}.gate{height:auto;min-height:100vh;justify-content:center;padding:0}.gate svg{width:min(66%,20rem);margin:0}main{padding:clamp(3rem,17vh,9rem) 3rem 2.5rem clamp(3rem,7vw,7rem);max-width:46rem}}
@media (forced-colors:active){.field,.open{border-color:CanvasText}}
@media (prefers-reduced-motion:no-preference){.open{transition:filter .12s}}
@media print{.gate,form,.home{display:none}body{display:block}}
`.trim();

/** The door: ajar while a password opens it, shut where none does. */
export function doorPicture(isAjar: boolean): string {
  const light = isAjar
    ? '<path class="glow" d="M40 300V118A60 60 0 0 1 66 68.6V300z"/>' +
      '<path class="leaf" d="M66 300V68.6A60 60 0 0 1 160 118v182z"/><circle class="knob" cx="80" cy="196" r="5"/>' +
      '<path class="spill" d="M40 305h26l-34 160H-70z"/>'
    : '<path class="leaf" d="M40 300V118a60 60 0 0 1 120 0v182z"/><circle class="knob" cx="56" cy="196" r="5"/>';
  return (
    '<svg viewBox="0 0 200 360" aria-hidden="true" focusable="false">' +
    `<path class="stone" d="M18 300V118a82 82 0 0 1 164 0v182z"/>${light}` +
    '<path class="stone" d="M0 300h200v5H0z"/></svg>'
  );
}
