/** Who may look into which room: see docs/architecture.md. */
const only = (room, allowed) => ({
  name: `${room}-imports`,
  severity: 'error',
  comment: `src/${room} may import ${allowed.join(', ') || 'nothing of ours'} only`,
  from: { path: `^src/${room}/`, pathNot: '\\.test\\.ts$' },
  to: { path: '^src/', pathNot: [room, ...allowed].map((r) => `^src/${r}/`) },
});

module.exports = {
  forbidden: [
    only('kernels', []),
    only('core', ['kernels']),
    only('contract', ['core']),
    only('media', ['core', 'kernels']),
    only('cli', ['core', 'media', 'contract']),
    only('server', ['core', 'media', 'contract']),
    only('workers', ['core', 'kernels', 'media', 'contract', 'server']),
    only('web', ['core', 'kernels', 'contract']),
    {
      name: 'core-is-pure',
      severity: 'error',
      comment: 'the core knows neither Node nor packages',
      from: { path: '^src/(core|kernels)/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core', 'npm', 'npm-dev'] },
    },
    {
      name: 'product-without-demo',
      severity: 'error',
      comment: 'nothing that ships depends on how the demo footage or the bench is made',
      from: { path: '^src/', pathNot: '\\.test\\.ts$' },
      to: { path: '^(demo|bench)/' },
    },
    {
      name: 'no-circles',
      severity: 'error',
      from: { pathNot: '^node_modules' },
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: 'assembly/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.js', '.vue'] },
  },
};
