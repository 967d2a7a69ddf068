/** Arrows point down: cli, vite → console → owner, demo → server, patrol, sealer → adapters, stores → guard → core. */
const layers = [
  'core',
  'guard',
  '(adapters|stores)',
  '(server|patrol|sealer)',
  '(owner|demo)',
  'console',
  '(cli|vite)',
];

const upward = layers.slice(0, -1).map((layer, level) => ({
  name: `no-arrow-up-from-${layer.replace(/\W+/g, '-').replace(/^-|-$/g, '')}`,
  severity: 'error',
  comment: 'A lower layer must not know the ones above it.',
  from: { path: `^src/${layer}/` },
  to: { path: `^src/(${layers.slice(level + 1).join('|')})/` },
}));

module.exports = {
  forbidden: [
    ...upward,
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
    {
      name: 'core-and-guard-are-pure',
      severity: 'error',
      comment: 'No Node in core and guard: the outside is handed in through ports.',
      from: { path: '^src/(core|guard)/' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'fetch-is-for-any-runtime',
      severity: 'error',
      comment: 'No Node in what workers, Deno and Bun are given.',
      from: {
        path: '^src/(fetch|adapters/(fetch|fetch-answer|fetch-visit|hono|web-codings|runtime-address)|stores/(guard-from-text|counters-bounded|web-hasher|hashing-queue|refusal-delay))\\.ts$',
      },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-stands-alone',
      severity: 'error',
      from: { path: '^src/core/' },
      to: { path: '^src/', pathNot: '^src/core/' },
    },
    {
      name: 'browser-stands-alone',
      severity: 'error',
      from: { path: '^src/browser/' },
      to: { path: '^src/', pathNot: '^src/(browser/|core/sealing/|core/passwords/normalize)' },
    },
    { name: 'nothing-unresolved', severity: 'error', from: {}, to: { couldNotResolve: true } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'node', 'types', 'default'],
    },
  },
};
