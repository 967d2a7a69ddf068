import { escapeHtml } from '../../core/screen/html.js';
import { patrolTable } from '../finding-table.js';
import type { PatrolFinding } from '../finding.js';
import type { PatrolResult } from '../patrol.js';
import { roles } from '../tour.js';

/**
 * A patrol as JUnit XML, which build servers show: a suite for each place, a case for each role at
 * it, and one for each finding.
 */
export function junitReport(result: PatrolResult): string {
  const suites = result.rows.map(({ place, lock, cells }) => {
    const name = lock === '' ? place : `${place} (${lock})`;
    const findings = result.findings.filter((one) => one.place === place && one.lock === lock);
    const cases = [
      ...roles.flatMap((role) => {
        const cell = cells[role];
        if (cell === undefined) return [];
        // Why it fails is said by the findings.
        const failure =
          cell.verdict === 'right'
            ? undefined
            : {
                type: cell.verdict,
                message: cell.verdict === 'leak' ? 'something leaks' : 'kept out',
                text: cell.seen,
              };
        return [{ name: `${role}: ${cell.seen}`, failure }];
      }),
      ...findings.map((finding) => ({ name: finding.code, failure: failureOf(finding) })),
    ];
    const failures = cases.filter(({ failure }) => failure !== undefined).length;
    return { failures, tests: cases.length, text: suiteXml(name, cases, failures) };
  });
  const sum = (key: 'failures' | 'tests') => suites.reduce((total, suite) => total + suite[key], 0);
  return `<?xml version="1.0" encoding="UTF-8"?>
<testsuites name="${attributeText(result.site ?? result.origin)}" tests="${sum('tests')}" failures="${sum('failures')}" errors="0" time="${result.seconds.toFixed(3)}">
${suites.map(({ text }) => text).join('\n')}
</testsuites>
`;
}

interface Failure {
  readonly type: string;
  readonly message: string;
  readonly text: string;
}

/** Warnings do not make a build fail. */
function failureOf({ code, severity, cases }: PatrolFinding): Failure | undefined {
  if (severity === 'warning') return undefined;
  const { title, mend } = patrolTable[code];
  const seen = cases.map(({ where, how, words }) => `${where} ${how}${words === undefined ? '' : `: “${words}”`}`);
  return { type: severity, message: title, text: [...seen, `Mend: ${mend}`].join('\n') };
}

function suiteXml(
  name: string,
  cases: readonly { readonly name: string; readonly failure: Failure | undefined }[],
  failures: number,
): string {
  const lines = cases.map((one) => {
    const open = `    <testcase classname="${attributeText(name)}" name="${attributeText(one.name)}"`;
    if (one.failure === undefined) return `${open}/>`;
    const { type, message, text } = one.failure;
    return `${open}>\n      <failure type="${type}" message="${attributeText(message)}">${xmlText(text)}</failure>\n    </testcase>`;
  });
  return `  <testsuite name="${attributeText(name)}" tests="${cases.length}" failures="${failures}">\n${lines.join('\n')}\n  </testsuite>`;
}

/** XML 1.0 has no way to write most control characters (section 2.2). */
const xmlText = (text: string) =>
  escapeHtml(text.replace(/[^\t\n\r\x20-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '\ufffd'));
const attributeText = (text: string) => xmlText(text.replace(/\s+/g, ' '));
