import assert from 'node:assert/strict';
import { test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { build } from 'esbuild';

/** What a user's bundler makes of one import of the library, minified. */
async function bundled(names: string, from = 'index') {
  const { outputFiles, metafile } = await build({
    stdin: { contents: `export { ${names} } from './src/${from}.ts'`, resolveDir: '.' },
    bundle: true,
    minify: true,
    write: false,
    metafile: true,
    format: 'esm',
    // Neither Node nor a browser: an import of a built-in module fails.
    platform: 'neutral',
    mainFields: ['module', 'main'],
    conditions: ['import'],
    logLevel: 'silent',
  });
  const [output] = Object.values(metafile.outputs);
  const kept = Object.entries(output?.inputs ?? {}).filter(([, { bytesInOutput }]) => bytesInOutput > 0);
  return {
    size: gzipSync(outputFiles[0]?.contents ?? '').length,
    files: kept.map(([name]) => name),
  };
}

/** What is imported, the most that it may weigh in bytes once gzipped, and what must not come along. */
const imports: [string, number, RegExp, string?][] = [
  ['DorlinError', 6_000, /node_modules|src\/(?!index\.ts|core\/errors)/],
  [
    'decide, readPolicy',
    110_000,
    /\/(?:parse5|saxes|marked|negotiator|lru-cache)\/|src\/(?:guard|stores|adapters)|screen\/(?:words|render)|core\/(?:sections|crawlers|check|explain)\//,
  ],
  ['createGuard, deriveKeys', 200_000, /\/yaml\/|src\/(?:stores|adapters|server|cli)|core\/(?:check|explain)\//],
  ['renderScreen, makeScreen', 45_000, /\/(?:zod|yaml|parse5|jose|saxes)\/|src\/guard|core\/(?:policy|passes|decide)/],
  ['guardFetch, guardHono', 6_500, /node_modules|src\/(?:core\/(?!letters)|stores|server|cli)/, 'fetch'],
  // All that a worker needs, the reading of its policy included.
  ['guardFetch, guardFromText', 260_000, /node-rs|src\/(?:server|cli|owner|patrol)|core\/(?:check|explain)\//, 'fetch'],
];

for (const [names, most, absent, from] of imports) {
  test(`${names}: at most ${most / 1000} kB, and nothing else of the library`, async (t) => {
    const { size, files } = await bundled(names, from);
    t.diagnostic(`${(size / 1000).toFixed(1)} kB gzipped`);
    assert.equal(size <= most, true, `${size} bytes`);
    assert.deepEqual(
      files.filter((file) => absent.test(file)),
      [],
    );
  });
}
