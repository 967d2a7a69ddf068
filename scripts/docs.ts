/** Makes the generated pages of docs/reference; with --check, says whether they are current. */
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { format } from 'prettier';
import { findingTable } from '../src/core/check/table.js';
import { errorTable } from '../src/core/errors.js';
import { policyJsonSchema } from '../src/core/policy/schema.js';
import { patrolTable } from '../src/patrol/finding-table.js';
import { cases } from '../test/conformance/cases.js';
import { deviations } from '../test/conformance/deviations.js';
import { chapters } from '../test/verdicts/chapters.js';
import { rowsOf } from '../test/verdicts/play.js';
import { apiPage } from './api-report.js';
import { commandsPage } from './commands-page.js';
import { answerTypes, consolePage, resultsPage } from './result-schema.js';

interface Node {
  readonly description?: string;
  readonly type?: string;
  readonly default?: unknown;
  readonly properties?: Record<string, Node>;
  readonly additionalProperties?: Node;
  readonly items?: Node;
  readonly required?: readonly string[];
}

const note = 'This page is made by `npm run docs`; edit what it is made from.';

function errorsPage(): string {
  const entries = Object.entries(errorTable).map(
    ([code, { means, mend }]) => `## \`${code}\`\n\n${means}\n\n**What to do.** ${mend}\n`,
  );
  return `# Errors\n\n${note} Every error that Dorlin raises on purpose is a \`DorlinError\` with one of these codes.\n\n${entries.join('\n')}`;
}

function findingsPage(): string {
  const entries = Object.entries(findingTable).map(
    ([code, { title, why, mend }]) =>
      `## \`${code}\`\n\n${title}.\n\n**Why it matters.** ${why}\n\n**What to do.** ${mend}\n`,
  );
  return `# Findings\n\n${note} What \`dorlin check\` may find. It exits with 1 when it finds something; \`--skip CODE\` leaves out what is meant to be as it is.\n\n${entries.join('\n')}`;
}

const severities = {
  leak: 'A leak',
  closed: 'Somebody is kept out',
  warning: 'A warning',
} as const;

function patrolPage(): string {
  const entries = Object.entries(patrolTable).map(
    ([code, { severity, title, why, mend }]) =>
      `## \`${code}\`\n\n${severities[severity]}: ${title.charAt(0).toLowerCase()}${title.slice(1)}.\n\n**Why it matters.** ${why}\n\n**What to do.** ${mend}\n`,
  );
  return `# What a patrol finds\n\n${note} What \`dorlin patrol\` may find on a live site. It exits with 1 on a leak and where somebody is kept out, not on warnings; \`--skip CODE\` leaves out what is meant to be as it is.\n\n${entries.join('\n')}`;
}

function frontsPage(): string {
  const rows = cases.map(({ name, target, method = 'GET', form, guestOf, expect }) => {
    const asked = `${form === undefined ? method : 'POST'} ${target}`.replaceAll('|', '\\|');
    return `| ${name} | \`${asked}\` | ${guestOf ?? ''} | ${expect.replaceAll('+', ' ')} |`;
  });
  const differences = deviations.map(
    ({ fronts, why, answers }) =>
      `- **${fronts.join('; ')}.** ${why} (${Object.keys(answers)
        .map((name) => `_${name}_`)
        .join(', ')})`,
  );
  return `# The same everywhere\n\n${note} One policy and these ${cases.length} visits are played through every front: Node's \`http\`, Connect, Express, Fastify, Hono, Deno, Bun, workerd, Node 24 and 26, \`vite dev\` and \`vite preview\`, \`dorlin serve\` with a folder and with \`--to\`, nginx and Caddy with the configuration that \`dorlin snippet\` prints, before a folder and before an application, by HTTP/1.1 and by HTTP/2 over TLS, and, as far as a host for files can tell visits apart, a sealed site. The suite is data, in \`test/conformance\`; \`npm run conformance\` plays it and prints the table. A front is done when no difference is left that is not named here.\n\n## Where a front answers otherwise\n\n${differences.join('\n')}\n\n## The visits\n\nAn answer is told by its status, by whose words are in it (\`about\`, \`log\`), whether it is a screen, whether it may be stored or indexed, where it leads, and which cookies it sets.\n\n| | | guest of | answer |\n|---|---|---|---|\n${rows.join('\n')}\n`;
}

function policyPage(): string {
  const rows: string[] = [];
  const walk = (node: Node, path: string) => {
    for (const [key, child] of Object.entries(node.properties ?? {})) {
      const name = path === '' ? key : `${path}.${key}`;
      if (child.description !== undefined) {
        const isNeeded = node.required?.includes(key) === true && child.default === undefined;
        const fallback = child.default === undefined ? '' : `\`${JSON.stringify(child.default)}\``;
        rows.push(`| \`${name}\` | ${child.description} | ${isNeeded ? '*required*' : fallback} |`);
      }
      walk(child, name);
      if (child.items !== undefined) walk(child.items, `${name}[]`);
      if (typeof child.additionalProperties === 'object') {
        walk(child.additionalProperties, `${name}.NAME`);
      }
    }
  };
  walk(policyJsonSchema() as Node, '');
  return `# The policy, key by key\n\n${note} The same as a JSON Schema is \`dorlin/policy.schema.json\`.\n\n| key | what it is | default |\n|---|---|---|\n${rows.join('\n')}\n`;
}

function verdictsPage(): string {
  const cell = (text: string) => text.replaceAll('|', '\\|');
  const code = (text: string) => '`' + cell(text) + '`';
  const parts = chapters.map((chapter) => {
    const rows = rowsOf(chapter).map(
      ({ who, asksFor, gets, because }) => `| ${cell(who)} | ${code(asksFor)} | **${cell(gets)}** | ${cell(because)} |`,
    );
    return `## ${chapter.title}\n\n${chapter.about}\n\n\`\`\`yaml\ndorlin: 1\n${chapter.policy}\n\`\`\`\n\n| who | asks for | gets | because, among other reasons |\n|---|---|---|---|\n${rows.join('\n')}\n`;
  });
  const count = chapters.reduce((sum, chapter) => sum + rowsOf(chapter).length, 0);
  return `# Verdicts\n\n${note} It has ${count} visits; a test plays every one of them. Where nothing else is said, it is noon (UTC) on 23 November 2026. \`…\` stands for a hash.\n\n${parts.join('\n')}`;
}

const pages = {
  'api.md': apiPage(note),
  'commands.md': await commandsPage(note),
  'console.md': consolePage(note),
  'errors.md': errorsPage(),
  'findings.md': findingsPage(),
  'fronts.md': frontsPage(),
  'json.md': resultsPage(note),
  'patrol.md': patrolPage(),
  'policy.md': policyPage(),
  'verdicts.md': verdictsPage(),
};
await mkdir('docs/reference', { recursive: true });
for (const [name, text] of Object.entries(pages)) {
  const options = { parser: 'markdown', printWidth: 100, embeddedLanguageFormatting: 'off' } as const;
  await keep(`docs/reference/${name}`, await format(text, options));
}
// By which the console checks what it sends: it is not made at each build, as all types are read for it.
await keep('src/console/answer-types.generated.ts', answerTypes());

async function keep(file: string, made: string): Promise<void> {
  if (!process.argv.includes('--check')) await writeFile(file, made);
  else if ((await readFile(file, 'utf8').catch(() => '')) !== made) {
    console.error(`${file} is not current: run \`npm run docs\``);
    process.exitCode = 1;
  }
}
