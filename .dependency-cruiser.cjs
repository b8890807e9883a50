/** Allowed imports: core ← media ← cli; core ← api ← server, web; media ← server; worker and demo may use core, media and api; media alone uses bundle. */
const packages = ['bundle', 'core', 'media', 'api', 'server', 'worker', 'web', 'cli', 'demo'];
const allowed = {
  bundle: [],
  core: [],
  media: ['bundle', 'core'],
  cli: ['core', 'media'],
  api: ['core'],
  server: ['core', 'media', 'api'],
  worker: ['core', 'media', 'api'],
  web: ['core', 'api'],
  demo: ['core', 'media', 'api'],
};

module.exports = {
  forbidden: [
    ...packages.map((name) => ({
      name: `${name}-imports`,
      comment: `packages/${name} may import only: ${allowed[name].join(', ') || 'nothing of ours'}`,
      severity: 'error',
      from: { path: `^packages/${name}/` },
      to: { path: '^packages/', pathNot: `^packages/(${[name, ...allowed[name]].join('|')})/` },
    })),
    {
      name: 'core-is-pure',
      comment: 'The core has no Node and no DOM: it must run in a browser, a worker and a script alike.',
      severity: 'error',
      from: { path: '^packages/core/src/', pathNot: '\\.test\\.ts$|/testing/' },
      to: { dependencyTypes: ['core'] },
    },
    { name: 'no-circular', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-testing-in-product',
      comment: 'Only tests and benches use what lies in a testing folder.',
      severity: 'error',
      from: { path: '^packages/', pathNot: '\\.test\\.tsx?$|/testing/|/bench/' },
      to: { path: '/testing/' },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(dist|node_modules)/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'node', 'default'] },
  },
};
