/** The page of the reference about commands, made from the commands themselves. */
import type { Command } from 'commander';
import { commandList } from '../src/cli/command-list.js';
import { resultSchema } from './result-schema.js';

/** Examples stand in the help that every command has behind its options. */
function exampleOf(command: Command): string {
  let shown = '';
  const output = { writeOut: (text: string) => (shown += text), writeErr: () => undefined };
  command.configureOutput(output).outputHelp();
  return /\nExample:\n([^]*)$/.exec(shown)?.[1]?.replace(/^ {2}/gm, '').trimEnd() ?? '';
}

const cell = (text: string) => text.replace(/\s+/g, ' ').replaceAll('|', '\\|');

function partOf(command: Command, names: readonly string[], printed: readonly string[]): string {
  const name = names.join(' ');
  const about = command.description();
  const inner = command.commands.filter((one) => one.name() !== 'help');
  const parts = inner.map((one) => partOf(one, [...names, one.name()], printed));
  // A group is nothing by itself, unless it takes options.
  if (parts.length > 0 && command.options.length === 0) return parts.join('\n');
  const rows = [
    ...command.registeredArguments
      .filter(({ description }) => description !== '')
      .map((one) => [one.name().toUpperCase(), one.description]),
    ...command.options.map(({ flags, description, defaultValue }) => [
      `\`${flags}\``,
      description + (typeof defaultValue === 'string' ? ` (else ${defaultValue})` : ''),
    ]),
  ].map(([what = '', said = '']) => `| ${cell(what)} | ${cell(said)} |`);
  const types = printed.filter((one) => one === name || one.startsWith(`${name} `));
  // `screen` is the beginning of others, which have parts of their own.
  const own = types.filter((one) => one === name || /^(?:--|[A-Z])/.test(one.slice(name.length + 1)));
  const prints =
    own.length === 0 ? '' : `\nPrints with \`--json\`: ${own.map((one) => `[\`${one}\`](json.md)`).join(', ')}.\n`;
  const page = `## ${name}\n\n${about}.\n\n\`\`\`sh\ndorlin ${name} ${command.usage()}\n\n# for example\n${exampleOf(command)}\n\`\`\`\n\n| | |\n| --- | --- |\n${rows.join('\n')}\n${prints}`;
  return [page, ...parts].join('\n');
}

/** Everything that can be called, with all of its options. */
export async function commandsPage(note: string): Promise<string> {
  const printed = Object.keys(resultSchema().definitions['CommandResults']?.properties ?? {});
  const parts: string[] = [];
  for (const { name, summary, load } of commandList) {
    parts.push(partOf((await load()).command(summary), [name], printed));
  }
  const table = commandList.map(({ name, summary }) => `| \`${name}\` | ${cell(summary)} |`);
  return `# Commands

${note} Every command has \`--help\` with an example, and \`--json\` for machines: [what that prints](json.md). Those about a policy take \`--policy FILE\` (\`dorlin.yaml\`); those that edit it take \`--draft\`. Colors appear on a terminal only, and never with \`NO_COLOR\`.

Exit codes: \`0\` done · \`1\` something was found (\`check\`, \`screen check\`, \`patrol\`) · \`2\` the call or a file was wrong · \`3\` a mistake of Dorlin's own. An error with \`--json\` is \`{ "error": { "code", "message" } }\`; the codes are in [errors](errors.md).

A **time** is written the same everywhere: a date (\`2026-12-01\`, its first moment), a moment (\`2026-12-01T09:00\`, in the site's time zone, or with one: \`2026-12-01T09:00[Europe/Dublin]\`), or a span (\`7 days\`, \`12h\`) from now on; for \`--since\`, back from now. A span alone is what \`--remember\` and \`--overlap\` take. A **place** is a path, a pattern or a pasted address of the site. \`none\` takes a setting back to what it is by itself.

Without a command, \`dorlin\` says where you stand in the folder, and what comes next.

| command | what it does |
| --- | --- |
${table.join('\n')}

${parts.join('\n')}
`;
}
