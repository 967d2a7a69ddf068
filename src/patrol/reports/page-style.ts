/** The style of the report: ink on paper, color for what needs somebody to act. */
export const pageStyle = `
:root { --paper: #fbfaf6; --card: #fff; --ink: #1d2a35; --soft: #586672; --line: #dcd8cc; --deep: #16324a; --on-deep: #f4f1e6; --in: #1d6b43; --leak: #a3201a; --on-leak: #fff; --out: #8a4b00; --on-out: #fff; --quote: #f4efe0; --calm: #1d5a43; }
@media (prefers-color-scheme: dark) { :root { --paper: #131a20; --card: #1a232b; --ink: #e6e9e6; --soft: #a3b0b8; --line: #33404a; --deep: #0d2436; --on-deep: #f0efe6; --in: #86d3a6; --leak: #ffb3a9; --on-leak: #3b0703; --out: #f2c078; --on-out: #2f1a00; --quote: #222d31; --calm: #123f30; } }
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: var(--ink); font: 1rem/1.55 system-ui, -apple-system, 'Segoe UI', 'DejaVu Sans', sans-serif; -webkit-text-size-adjust: 100%; }
header, main, footer { padding-inline: max(1.25rem, calc((100% - 76rem) / 2)); }
header { background: var(--deep); color: var(--on-deep); padding-block: 2.6rem 2.2rem; border-bottom: .4rem solid var(--leak); }
header.clean { background: var(--calm); border-bottom-color: var(--in); }
.kind { margin: 0; opacity: .86; }
h1 { margin: .3rem 0 1.6rem; font: 600 clamp(1.7rem, 1.1rem + 2.4vw, 2.7rem)/1.18 Georgia, 'P052', 'DejaVu Serif', serif; text-wrap: balance; }
h2 { margin: 0 0 .3rem; font: 600 1.55rem/1.25 Georgia, 'P052', 'DejaVu Serif', serif; }
h3 { margin: 0; font-size: 1.1rem; line-height: 1.35; }
.facts { display: flex; flex-wrap: wrap; gap: 1rem 2.6rem; margin: 0; }
.facts dt { font-size: .82rem; opacity: .82; }
.facts dd { margin: 0; font-weight: 600; overflow-wrap: anywhere; }
main { padding-block: 2.4rem 1rem; }
section { margin-bottom: 3rem; }
.lead { margin: 0 0 1.1rem; color: var(--soft); }
.scroll { overflow-x: auto; background: var(--card); border: 1px solid var(--line); border-radius: .6rem; }
.scroll:focus-visible, summary:focus-visible { outline: .2rem solid var(--ink); outline-offset: .15rem; }
table { border-collapse: collapse; width: 100%; font-size: .92rem; }
th, td { padding: .7rem .75rem; text-align: start; vertical-align: top; border-top: 1px solid var(--line); }
thead th { border-top: 0; color: var(--soft); font-weight: 600; font-size: .84rem; vertical-align: bottom; line-height: 1.3; }
th[scope=row] { font-weight: 600; background: var(--card); }
@media (min-width: 40rem) { th[scope=row], thead th:first-child { position: sticky; inset-inline-start: 0; background: var(--card); } }
.place, .about { display: block; }
.place { overflow-wrap: anywhere; min-width: 9rem; }
.about { font-weight: 400; font-size: .84rem; color: var(--soft); }
td { white-space: nowrap; }
.in { color: var(--in); }
.shut { color: var(--soft); }
.none { color: var(--soft); }
b.leak, b.out { display: inline-block; padding: .06rem .5rem .1rem; border-radius: .3rem; font-weight: 700; white-space: nowrap; }
b.leak { background: var(--leak); color: var(--on-leak); }
b.out { background: var(--out); color: var(--on-out); border-start-start-radius: 0; border-end-end-radius: 0; }
.legend { display: flex; flex-wrap: wrap; gap: .5rem 1.8rem; margin: 1rem 0 0; font-size: .88rem; color: var(--soft); }
.legend div { display: flex; gap: .5rem; align-items: baseline; }
.legend dd { margin: 0; }
article { margin-top: 1.1rem; padding: 1.2rem 1.4rem 1.1rem; background: var(--card); border: 1px solid var(--line); border-inline-start: .35rem solid var(--leak); border-radius: .6rem; }
article.closed { border-inline-start-color: var(--out); }
article.warning { border-inline-start-color: var(--soft); }
.of { margin: .1rem 0 .7rem; color: var(--soft); overflow-wrap: anywhere; }
code { font: .92em ui-monospace, 'DejaVu Sans Mono', monospace; overflow-wrap: anywhere; }
.code { margin-inline-start: .4rem; font-size: .82em; white-space: nowrap; }
article ul, .plain { margin: 0 0 .8rem; padding-inline-start: 1.1rem; }
article li { margin-bottom: .45rem; }
article li span { color: var(--soft); overflow-wrap: anywhere; }
q { display: block; margin-top: .3rem; padding: .45rem .8rem; background: var(--quote); border-radius: .4rem; overflow-wrap: anywhere; }
article p { margin: 0 0 .5rem; max-width: 46rem; }
details { margin: -.3rem 0 .8rem; }
summary { cursor: pointer; width: fit-content; color: var(--soft); padding: .2rem 0; }
.mend b { margin-inline-end: .4rem; }
footer { padding-block: .4rem 2.4rem; color: var(--soft); font-size: .9rem; }
footer p { max-width: 46rem; }
@media (max-width: 30rem) { article { padding-inline: 1rem; } main { padding-block-start: 1.8rem; } }
@media print { .scroll { overflow: visible; } details { display: none; } header { print-color-adjust: exact; -webkit-print-color-adjust: exact; } article { break-inside: avoid; } }
`;
