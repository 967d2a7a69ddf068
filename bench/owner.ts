import { cp, mkdtemp, rm, stat } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseDocument } from 'yaml';
import { editPolicy } from '../src/core/policy/edit.js';
import { dorlin } from '../test/support/command-line.js';
import { median, report, type Figure } from './figures.js';
import { cpuSeconds, program } from './start.js';

const places = 10_000;
/** From the Debian package `python-django-doc`: some 700 pages with a search index. */
const documentation = '/usr/share/doc/python-django-doc/html';

/** What owners wait for: an edit of a long policy, and looking through a large site. */
export async function benchOwner(): Promise<Figure[]> {
  const covers = Array.from({ length: places }, (_, at) => `      - /pages/f-${at % 100}/p-${at}`);
  const text = `dorlin: 1\nsite: { name: x }\nlocks:\n  members:\n    covers:\n${covers.join('\n')}\n`;
  const used = (work: () => unknown) => {
    const start = process.cpuUsage();
    work();
    const { user, system } = process.cpuUsage(start);
    return (user + system) / 1e6;
  };
  const edit = () =>
    editPolicy(text, 'x', (editor) => {
      editor.addPlace('members', 'covers', '/n');
    });
  const pairs = Array.from({ length: 9 }, () => [used(() => parseDocument(text)), used(edit)] as const);
  const figures = [
    report(
      `an edit of a policy of ${places.toLocaleString('en')} places, CPU time`,
      median(pairs.map(([, own]) => own)),
      's',
      { atMost: 0.5 },
    ),
    report('the same, times one reading of its YAML (9 pairs)', median(pairs.map(([one, own]) => own / one)), '×'),
  ];
  const isThere = await stat(documentation).then(
    () => true,
    () => false,
  );
  if (!isThere) {
    console.log('  not measured: checking python-django-doc, which is not installed');
    return figures;
  }
  const folder = await mkdtemp(join(tmpdir(), 'dorlin-bench-'));
  try {
    await cp(documentation, join(folder, 'dist'), { recursive: true, dereference: true });
    await dorlin(folder, ['init', 'dist', '--name', 'Documentation']);
    await dorlin(folder, ['lock', 'howto', '/howto/', '/ref/']);
    const policy = ['--policy', join(folder, 'dorlin.yaml')];
    for (const [name, atMost] of [
      ['check', 5],
      ['places', 1.5],
    ] as const) {
      const runs = Array.from({ length: 5 }, () => cpuSeconds([program, name, ...policy]));
      figures.push(report(`\`dorlin ${name}\` of 750 files of documentation, CPU time`, median(runs), 's', { atMost }));
    }
  } finally {
    await rm(folder, { recursive: true });
  }
  return figures;
}
