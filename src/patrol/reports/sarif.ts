import { patrolTable, type PatrolCode, type Severity } from '../finding-table.js';
import type { PatrolResult } from '../patrol.js';

const levels: Readonly<Record<Severity, 'error' | 'warning'>> = {
  leak: 'error',
  closed: 'error',
  warning: 'warning',
};

/**
 * A patrol as SARIF 2.1.0 (OASIS), which code hosts and editors show: a rule for each kind of
 * finding, a result for each address it was seen at.
 */
export function sarifReport(result: PatrolResult, version: string): string {
  const codes = [...new Set(result.findings.map(({ code }) => code))];
  const results = result.findings.flatMap(({ code, severity, place, lock, cases }) =>
    cases.map(({ where, how, words }) => ({
      ruleId: code,
      ruleIndex: codes.indexOf(code),
      level: levels[severity],
      message: { text: `${where} ${how}${words === undefined ? '' : `: “${words}”`}` },
      locations: [
        {
          physicalLocation: { artifactLocation: { uri: addressOf(result.origin, where) } },
          logicalLocations: [{ fullyQualifiedName: place, kind: 'resource' }],
        },
      ],
      // The same finding in the next patrol is known by these.
      partialFingerprints: { 'dorlinPatrol/v1': `${code} ${lock} ${place} ${where} ${how}` },
    })),
  );
  const log = {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'dorlin patrol', version, rules: codes.map(ruleOf) } },
        automationDetails: { id: `dorlin-patrol/${result.origin}` },
        invocations: [
          {
            executionSuccessful: true,
            startTimeUtc: new Date(result.startedAt * 1000).toISOString(),
            endTimeUtc: new Date((result.startedAt + result.seconds) * 1000).toISOString(),
          },
        ],
        results,
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

function ruleOf(code: PatrolCode) {
  const { title, why, mend, severity } = patrolTable[code];
  return {
    id: code,
    shortDescription: { text: title },
    fullDescription: { text: why },
    help: { text: mend },
    defaultConfiguration: { level: levels[severity] },
  };
}

/** As a URI (RFC 3986): spellings hold what is none. */
function addressOf(origin: string, where: string): string {
  if (!where.startsWith('/')) return origin;
  return origin + encodeURI(where.toWellFormed()).replace(/%25([0-9a-f]{2})/gi, '%$1');
}
