import { escapeHtml } from '../../core/screen/html.js';
import { patrolTable, type Severity } from '../finding-table.js';
import type { PatrolResult } from '../patrol.js';
import type { Cell, Row } from '../rows.js';
import { roles, type Role } from '../tour.js';
import { groupedFindings, type PatrolGroup } from './grouped.js';
import { headlineOf, isClean, roleWords } from './said.js';
import { pageStyle } from './page-style.js';

/** A patrol as one page for people, which needs nothing else: no script, no font, no picture. */
export function pageReport(result: PatrolResult): string {
  const { rows, findings, notPlayed } = result;
  const title = `Patrol of ${result.site ?? result.origin}`;
  const played = roles.filter((role) => rows.some(({ cells }) => cells[role] !== undefined));
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<meta name="color-scheme" content="light dark">
<title>${escapeHtml(title)}</title>
<style>${pageStyle}</style>
</head>
<body>
<header class="${isClean(result) ? 'clean' : 'faulty'}">
<p class="kind">${escapeHtml(title)}</p>
<h1>${escapeHtml(headlineOf(result))}</h1>
<dl class="facts">
${factsOf(result)
  .map(([name, value]) => `<div><dt>${name}</dt><dd>${escapeHtml(value)}</dd></div>`)
  .join('\n')}
</dl>
</header>
<main>
<section aria-labelledby="places">
<h2 id="places">Who gets what</h2>
<p class="lead">Each place of the site, and what became of everybody who came to it.</p>
${rows.length === 0 ? '<p>No place was found that is closed to anybody.</p>' : tableOf(rows, played)}
${legend}
</section>
${(['leak', 'closed', 'warning'] as const).map((severity) => partOf(groupedFindings(findings), severity)).join('')}
${notPlayed.length === 0 ? '' : `<section aria-labelledby="unplayed"><h2 id="unplayed">Not played</h2><ul class="plain">${notPlayed.map(({ role, lock, why }) => `<li>${escapeHtml(`${capital(role)}${lock === '' ? '' : ` of ${lock}`}, as ${why}.`)}</li>`).join('')}</ul></section>`}
</main>
<footer><p>Made by <code>dorlin patrol</code>. It shows what was seen at that time, in the ways that were tried; it is no proof that there are no others.</p></footer>
</body>
</html>
`;
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function factsOf(result: PatrolResult): [name: string, value: string][] {
  const moment = new Date(result.startedAt * 1000).toISOString();
  const number = (value: number) => value.toLocaleString('en');
  const seconds = Math.max(1, Math.round(result.seconds));
  const took = seconds < 100 ? `${seconds} s` : `${Math.round(seconds / 60)} min`;
  return [
    ['Site', result.origin],
    ['When', `${moment.slice(0, 10)}, ${moment.slice(11, 16)} UTC`],
    [
      'Addresses walked',
      result.left === 0 ? number(result.addresses) : `${number(result.addresses)}, not walked: ${number(result.left)}`,
    ],
    ...(result.untried === 0 ? [] : [['Ways not tried', number(result.untried)] as [string, string]]),
    ['Requests', `${number(result.requests)} in ${took}`],
  ];
}

function tableOf(rows: readonly Row[], played: readonly Role[]): string {
  const heads = played.map((role) => `<th scope="col">${capital(roleWords[role])}</th>`).join('');
  const lines = rows.map(({ place, lock, addresses, cells }) => {
    const count = `${addresses.toLocaleString('en')} ${addresses === 1 ? 'address' : 'addresses'}`;
    const about = lock === '' ? count : `${lock} · ${count}`;
    return `<tr><th scope="row"><span class="place">${escapeHtml(place)}</span><span class="about">${escapeHtml(about)}</span></th>${played.map((role) => cellOf(cells[role])).join('')}</tr>`;
  });
  return `<div class="scroll" role="region" aria-labelledby="places" tabindex="0">
<table>
<thead><tr><th scope="col">Place</th>${heads}</tr></thead>
<tbody>
${lines.join('\n')}
</tbody>
</table>
</div>`;
}

function cellOf(cell: Cell | undefined): string {
  if (cell === undefined) return '<td class="none"><span aria-label="not played">·</span></td>';
  const { verdict, seen } = cell;
  if (verdict === 'leak') return '<td><b class="leak">Leak</b></td>';
  if (verdict === 'closed') return '<td><b class="out">Kept out</b></td>';
  return `<td class="${seen === 'let in' ? 'in' : 'shut'}">${seen}</td>`;
}

const legend = `<dl class="legend">
<div><dt><b class="leak">Leak</b></dt><dd>gets what is meant for others</dd></div>
<div><dt><b class="out">Kept out</b></dt><dd>does not get what is meant for them</dd></div>
<div><dt class="in">let in</dt><dd>gets the page, as they should</dd></div>
<div><dt class="shut">screen, prompt, not found</dt><dd>are stopped, as they should be</dd></div>
</dl>`;

const partTitles: Readonly<Record<Severity, string>> = {
  leak: 'What leaks',
  closed: 'Who is kept out',
  warning: 'What could be better',
};

function partOf(groups: readonly PatrolGroup[], severity: Severity): string {
  const these = groups.filter((one) => one.severity === severity);
  if (these.length === 0) return '';
  return `<section aria-labelledby="${severity}"><h2 id="${severity}">${partTitles[severity]}</h2>
${these.map(groupOf).join('\n')}
</section>
`;
}

/** Most lines that are shown at once; the others are folded away. */
const mostShown = 5;

function groupOf({ code, severity, places, lock, lines }: PatrolGroup): string {
  const { title, why, mend } = patrolTable[code];
  const items = lines.map(({ where, how, words }) => {
    const quote = words === undefined || words === '' ? '' : `<q>${escapeHtml(words)}</q>`;
    return `<li><code>${escapeHtml(shown(where))}</code> <span>${escapeHtml(how)}</span>${quote}</li>`;
  });
  const more = items.slice(mostShown);
  const rest =
    more.length === 0 ? '' : `<details><summary>${more.length} more</summary><ul>${more.join('')}</ul></details>`;
  const place =
    places.length === 1
      ? (places[0] ?? '')
      : `${places.length.toLocaleString('en')} places, such as ${places[0] ?? ''}`;
  const of = lock === '' ? escapeHtml(place) : `${escapeHtml(place)}, lock ${escapeHtml(lock)}`;
  return `<article class="${severity}">
<h3>${escapeHtml(title)}</h3>
<p class="of">${of} <code class="code">${code}</code></p>
<ul>${items.slice(0, mostShown).join('')}</ul>${rest}
<p>${escapeHtml(why)}</p>
<p class="mend"><b>Mend</b> ${withCode(escapeHtml(mend))}</p>
</article>`;
}

const withCode = (text: string) => text.replace(/`([^`]+)`/g, '<code>$1</code>');
/** What cannot be seen in an address. */
const shown = (text: string) => text.replace(/[\x00-\x1f\x7f-\x9f]/g, '\u2423');
